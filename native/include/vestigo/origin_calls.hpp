// vestigo/origin_calls.hpp: the origin calls of each look-up: when they are served, and which loads
// share one.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

#include "ledger.hpp"
#include "origin.hpp"
#include "rules.hpp"
#include "shared_calls.hpp"

namespace vestigo {

// What becomes of a load, and whether it shares a call, which takes `more` time for that.
struct CallOfLoad {
  Call call;
  bool shares = false;
  Time more = 0;
};

class OriginCalls {
 public:
  explicit OriginCalls(std::span<const Served> origins)
      : origins_(origins.begin(), origins.end()) {}

  // A read loads. Misses of one scope within the window of a batch share a call.
  CallOfLoad ask(const ValueRules& rules, Id lookup, Id scope, Time cost, Time now) {
    if (!may_share(rules, scope)) return {call(rules, cost, now)};
    return share(batches_, SharedCalls::who(lookup, scope), rules, rules.batch, cost, now);
  }

  // Whether a load may share a call that another one of its scope began, or begin one that is
  // shared.
  static bool may_share(const ValueRules& rules, Id scope) { return rules.batch > 0 && scope >= 0; }

  // Preloads of one look-up, node and moment are one call.
  CallOfLoad preload(const ValueRules& rules, Id lookup, Id node, Time cost, Time now) {
    return share(preloads_, SharedCalls::who(lookup, node), rules, 1, cost, now);
  }

  // A call that is not shared.
  Call call(const ValueRules& rules, Time cost, Time now) {
    return rules.origin == kNone ? Call{now, now + cost} : of(rules).call(now, cost);
  }

  Time give_up(const ValueRules& rules) const {
    return rules.origin == kNone ? kNever : of(rules).served.give_up;
  }
  bool is_slow(const ValueRules& rules, Time took) const {
    return rules.origin != kNone && took > of(rules).served.slow;
  }

  // Counts an origin call, before it is counted as a load.
  void count(Ledger& ledger, Tally& tally, const ValueRules& rules, const Call& call,
             Time now) const {
    ledger.call(tally, call.takes(), now);
    tally.counts[kFailedLoads] += call.fails;
    if (rules.origin != kNone && of(rules).served.places > 0)
      ledger.waited(tally, call.begins - now, call.queue);
  }

  // The same for a read that loads, in a call of its own or in a shared one. It is a miss, or else
  // its load is one that no reader waits for.
  void count(Ledger& ledger, Tally& tally, const ValueRules& rules, const CallOfLoad& asked,
             bool is_miss, Time now) const {
    if (asked.shares) {
      tally.sums[kOriginTime] += asked.more;
      tally.counts[kBatched] += is_miss;
    } else {
      count(ledger, tally, rules, asked.call, now);
      tally.counts[kOtherLoads] += !is_miss;
    }
  }

 private:
  CallOfLoad share(SharedCalls& calls, std::uint64_t who, const ValueRules& rules, Time window,
                   Time cost, Time now) {
    if (SharedCalls::Shared* const shared = calls.under_way(who, now, window)) {
      const Time begins = std::max(shared->served, now);
      const Call own =
          rules.origin == kNone ? Call{begins, begins + cost} : of(rules).serve(begins, cost);
      return {own, true, shared->lengthen(own.takes())};
    }
    const Call own = call(rules, cost, now);
    calls.begin(who, window, {now, own.begins, own.takes()});
    return {own};
  }

  Origin& of(const ValueRules& rules) { return origins_[index(rules.origin)]; }
  const Origin& of(const ValueRules& rules) const { return origins_[index(rules.origin)]; }

  std::vector<Origin> origins_;
  SharedCalls batches_, preloads_;
};

}  // namespace vestigo
