// vestigo/full/calls.hpp: the origin calls of each look-up: when they are served, and which loads
// share one.
#pragma once

#include <algorithm>
#include <vector>

#include "../shared_calls.hpp"
#include "setting.hpp"

namespace vestigo::full {

// What becomes of a load, and whether it shares a call, which takes `more` time for that.
struct Asked {
  Call call;
  bool shares = false;
  Time more = 0;
};

class Calls {
 public:
  explicit Calls(const std::vector<Served>& origins) : origins_(origins.begin(), origins.end()) {}

  // A read loads. Misses of one scope within the window of a batch share a call.
  Asked ask(const GroupRules& group, Id scope, Time cost, Time now) {
    if (group.batch == 0 || scope < 0) return {call(group, cost, now)};
    return share(batches_, SharedCalls::who(group.lookup, scope), group, group.batch, cost, now);
  }

  // Preloads of one look-up, node and moment are one call.
  Asked preload(const GroupRules& group, Id node, Time cost, Time now) {
    return share(preloads_, SharedCalls::who(group.lookup, node), group, 1, cost, now);
  }

  // A call that is not shared.
  Call call(const GroupRules& group, Time cost, Time now) {
    return group.origin == kNone ? Call{now, now + cost} : of(group).call(now, cost);
  }

  Time give_up(const GroupRules& group) const {
    return group.origin == kNone ? kNever : of(group).served.give_up;
  }
  bool is_slow(const GroupRules& group, Time took) const {
    return group.origin != kNone && took > of(group).served.slow;
  }
  // Whether calls may have to wait for a place.
  bool waits(const GroupRules& group) const {
    return group.origin != kNone && of(group).served.places > 0;
  }

 private:
  Asked share(SharedCalls& calls, std::uint64_t who, const GroupRules& group, Time window,
              Time cost, Time now) {
    if (SharedCalls::Shared* const shared = calls.under_way(who, now, window)) {
      const Time begins = std::max(shared->served, now);
      const Call own =
          group.origin == kNone ? Call{begins, begins + cost} : of(group).serve(begins, cost);
      return {own, true, shared->lengthen(own.takes())};
    }
    const Call own = call(group, cost, now);
    calls.begin(who, window, {now, own.begins, own.takes()});
    return {own};
  }

  Origin& of(const GroupRules& group) { return origins_[index(group.origin)]; }
  const Origin& of(const GroupRules& group) const { return origins_[index(group.origin)]; }

  std::vector<Origin> origins_;
  SharedCalls batches_, preloads_;
};

}  // namespace vestigo::full
