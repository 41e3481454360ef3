// vestigo/missing.hpp: reads that the cache does not answer at once, and origin calls, in the plain
// replay.
#pragma once

#include "changing.hpp"

namespace vestigo {

template <class Policy, Loading loading, bool by_value, class Seen>
class PlainMissing : protected PlainChanging<Policy, loading, by_value, Seen> {
 protected:
  using Base = PlainChanging<Policy, loading, by_value, Seen>;
  using Base::Base;
  using Base::calls_, Base::end_due_loads, Base::end_of, Base::load;
  using Base::loads_, Base::pending_, Base::pools_, Base::serves, Base::timed;
  using typename Base::AllPools, typename Base::Group;

  // The cache does not answer the read: it joins a load under way, or loads.
  [[gnu::always_inline]] void miss(const Columns& columns, std::size_t i, Group& group,
                                   Entry& entry, bool forced, Time now) {
    Tally& tally = *group.tally;
    const Id truth = columns.stretch[i];
    if (is_null(truth)) [[unlikely]]
      ++tally.counts[kNullsRead];
    if constexpr (serves) return ask(columns, i, group, entry, forced, now);
    if (entry.state != 0) [[unlikely]]
      return unusual_miss(columns, i, group, entry, forced, now);
    const Time cost = columns.cost[i];
    const Bytes size = columns.size[i];
    const Cause cause = forced ? kForcedMiss : entry.absence(now);
    count_miss(columns, i, group, entry, cause, now);
    if (timed && cost > 0) {
      const Id place = columns.ends.place[i];
      pending_.begin(columns.ends, place);
      entry.record(place, truth, size, now);
      return;
    }
    if constexpr (timed) end_due_loads(columns, now);
    pools_.ledger.at_step(Step::row, columns.row(i));
    pools_.keep(group, entry, columns.key[i], truth, size, now, cost, now);
  }

  // The same for a key that is held, or being loaded.
  [[gnu::noinline]] void unusual_miss(const Columns& columns, std::size_t i, Group& group,
                                      Entry& entry, bool forced, Time now) {
    pools_.ledger.at_step(Step::row, columns.row(i));
    if (joins(group, entry, forced)) return join(columns, i, group, entry);
    count_miss(columns, i, group, entry, why_missed(group, entry, forced, now), now);
    load(columns, i, group, entry, now);
  }

  // The same where an origin serves loads. When a call comes, it is known how long it takes. A read
  // that gives up is no miss, but its load goes on.
  [[gnu::noinline]] void ask(const Columns& columns, std::size_t i, Group& group, Entry& entry,
                             bool forced, Time now) {
    pools_.ledger.at_step(Step::row, columns.row(i));
    if (joins(group, entry, forced)) return join(columns, i, group, entry);
    Tally& tally = *group.tally;
    const ValueRules& rules = pools_.value_rules[entry.group];
    const CallOfLoad asked =
        calls_.ask(rules, group.lookup, columns.scope[i], columns.cost[i], now);
    const Time took = asked.call.ends - now;
    const bool is_miss = took <= calls_.give_up(rules);
    Cause cause = kFirst;
    if (is_miss || group.rules.drop_first) cause = why_missed(group, entry, forced, now);
    calls_.count(pools_.ledger, tally, rules, asked, is_miss, now);
    if (is_miss) {
      ++tally.counts[cause];
      tally.counts[kBytesMissed] += columns.size[i];
      count_time(tally, rules, took);
    } else {
      fail(tally, rules);
    }
    load(columns, i, group, entry, asked.call, now);
  }

  // Every miss is an origin call, unless it shares one of its scope.
  [[gnu::always_inline]] void count_miss(const Columns& columns, std::size_t i, Group& group,
                                         const Entry& entry, Cause cause, Time now) {
    const Time cost = columns.cost[i];
    const Who who = AllPools::who(entry, columns.key[i]);
    pools_.witness.miss(who, i, cause, cost, 0, is_null(columns.stretch[i]), now);
    if constexpr (by_value) {
      group.tally->sums[kReadTime] += cost;
      const ValueRules& rules = pools_.value_rules[entry.group];
      const Id scope = columns.scope[i];
      if (OriginCalls::may_share(rules, scope)) {
        const CallOfLoad asked = calls_.ask(rules, group.lookup, scope, cost, now);
        if (asked.shares) {
          pools_.ledger.share(*group.tally, cause, cost, asked.more, columns.size[i]);
          return pools_.witness.share(who, asked.more);
        }
      }
    }
    pools_.ledger.miss(*group.tally, cause, cost, columns.size[i], now);
    pools_.witness.call(who, cost);
  }

  static bool joins(const Group& group, const Entry& entry, bool forced) {
    return timed && entry.loading() && group.rules.overlap == Overlap::join && !forced;
  }

  void join(const Columns& columns, std::size_t i, const Group& group, const Entry& entry) {
    Tally& tally = *group.tally;
    const bool own = entry.records();
    const PlainLoad* other = own ? nullptr : &loads_.oldest(columns.key[i]);
    const Id stretch = own ? entry.stretch : other->stretch;
    const Time now = columns.at[i], rest = end_of(columns, own ? entry.load : other->name) - now;
    if constexpr (serves) {
      const ValueRules& rules = pools_.value_rules[entry.group];
      if (rest > calls_.give_up(rules)) return fail(tally, rules);
      tally.counts[kSlowReads] += calls_.is_slow(rules, rest);
    }
    const bool stale = columns.is_stale(stretch, i);
    ++tally.counts[kJoined];
    if (stale) ++tally.counts[kJoinedStale];
    pools_.ledger.join(tally, rest, columns.size[i]);
    pools_.witness.join(AllPools::who(entry, columns.key[i]), i, rest,
                        stale ? now - stretches_.end(stretch) : kNoAge, is_null(stretch), now);
  }

  Cause why_missed(Group& group, Entry& entry, bool forced, Time now) {
    const bool repeats = timed && entry.loading() && group.rules.overlap == Overlap::repeat;
    const Cause own = entry.held() ? absence(entry, group, now) : entry.absence(now);
    return miss_cause(forced, repeats, own);
  }

  // Why a held entry does not answer. An expired one that is touched leaves here.
  Cause absence(Entry& entry, Group& group, Time now) {
    if (entry.live(now)) {
      if (group.rules.drop_first) pools_.leave(group, entry, kDropped, kDrops, now);
      return kNull;  // a blind null or a forced read has another cause
    }
    const Cause cause = pools_.expiry_of(entry);
    pools_.leave(group, entry, cause, kExpirations, now);
    return cause;
  }

  // A hit makes the cache load the value anew. No reader waits for that.
  [[gnu::noinline]] void reload(const Columns& columns, std::size_t i, Group& group, Entry& entry,
                                Time now) {
    Tally& tally = *group.tally;
    if constexpr (serves) {
      const ValueRules& rules = pools_.value_rules[entry.group];
      const Call call = calls_.call(rules, columns.cost[i], now);
      calls_.count(pools_.ledger, tally, rules, call, now);
      ++tally.counts[kBackgroundLoads];
      return load(columns, i, group, entry, call, now);
    }
    const Time cost = columns.cost[i];
    pools_.ledger.load(tally, cost, now);
    ++tally.counts[kBackgroundLoads];
    pools_.witness.reload(AllPools::who(entry, columns.key[i]), i, cost, 0, now);
    load(columns, i, group, entry, now);
  }

  // Counts how long a read took that was answered.
  void count_time(Tally& tally, const ValueRules& rules, Time took) {
    pools_.ledger.took(tally, took);
    tally.counts[kSlowReads] += calls_.is_slow(rules, took);
  }

  // A reader has waited as long as it would, and gives up.
  void fail(Tally& tally, const ValueRules& rules) {
    ++tally.counts[kFailed];
    pools_.ledger.took(tally, calls_.give_up(rules));
  }

  Stretches stretches_;
};

}  // namespace vestigo
