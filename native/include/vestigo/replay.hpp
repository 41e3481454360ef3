// vestigo/replay.hpp: the replay loop. docs/semantics.md section 3, at speed.
//
// It is a template over the eviction policy, how loads end, whether rules need single values, and
// the witness. So nothing in the loop is virtual, and a replay does not pay for what it was not
// asked for. The trace is known ahead: while one event is replayed, the memory for later ones is
// fetched.
#pragma once

#include <algorithm>
#include <cstring>
#include <optional>
#include <span>
#include <vector>

#include "changing.hpp"
#include "columns.hpp"
#include "fetch.hpp"
#include "shared_calls.hpp"

namespace vestigo {

template <class Policy, Loading loading, bool by_value = false, class Seen = NoWitness>
class PlainReplay : PlainChanging<Policy, loading, by_value, Seen> {
  using Base = PlainChanging<Policy, loading, by_value, Seen>;
  using Base::begin_load, Base::clear, Base::clear_groups, Base::end_due_loads, Base::end_loads;
  using Base::foresee, Base::load, Base::next_clear, Base::reach, Base::restart, Base::take_out;
  using Base::pools_, Base::pending_, Base::loads_, Base::timed, Base::spares, Base::foresees;
  using Base::tell, Base::write;
  using typename Base::AllPools, typename Base::Group;

 public:
  PlainReplay(const PlainSetting& setting, Slices slices) : Base(setting, std::move(slices)) {
    find_next_due();
  }

  // Begins a batch, whose events are fed next.
  void open(const Columns& columns) {
    stretches_ = columns.stretches;
    if constexpr (timed) Base::open_loads(columns);
  }

  // Replays the events [begin, end) of the batch, slice by slice.
  void feed(const Columns columns, std::size_t begin, std::size_t end) {
    while (begin < end) {
      pass_time(columns, columns.at[begin]);
      const Time* const stop = std::lower_bound(columns.at + begin, columns.at + end, next_due_);
      feed_slice(columns, begin, static_cast<std::size_t>(stop - columns.at));
      begin = static_cast<std::size_t>(stop - columns.at);
      if constexpr (timed) end_due_loads(columns, columns.at[begin - 1]);
    }
  }

  // Does what falls due up to `now`, before an event of that moment: slices end, look-ups are
  // cleared, loads end.
  void catch_up(const Columns& columns, Time now) {
    pass_time(columns, now);
    if constexpr (timed) end_due_loads(columns, now);
  }

  void count_from(Time now) {
    pools_.count_from(now);
    find_next_due();
  }

  // The trace is over; its last event was at `now`. Nothing can be replayed after this.
  void close(Time now) { pools_.close(now); }

  const Ledger& ledger() const { return pools_.ledger; }
  Ledger& ledger() { return pools_.ledger; }
  Seen& witness() { return pools_.witness; }
  void log(std::span<const Id> entries) { pools_.log(entries); }

  // Whether entries, orders, sizes and loads agree. Tests call it after every step.
  bool check() const;

 private:
  void feed_slice(const Columns& columns, std::size_t begin, std::size_t end) {
    for (std::size_t block = begin; block < end; block += kBlock) {
      const std::size_t stop = std::min(block + kBlock, end);
      [[maybe_unused]] std::size_t ahead = 0;
      if (block + kFetchAhead <= columns.events) {
        ahead = kFetchEntries;
        fetch_ahead<Policy::moves_on_hit, !timed>(columns, pools_.entries, block);
        if constexpr (Policy::keeps_notes) fetch_notes(columns, pools_.notes, block);
        if constexpr (Seen::sees) {
          for (std::size_t i = block + 2 * kBlock; i < block + 3 * kBlock; ++i)
            pools_.witness.fetch(columns.key[i]);
        }
        if constexpr (timed) fetch_ends(columns.ends, pending_.next());
      }
      if (all_plain(columns, block, stop)) [[likely]] {
        for (std::size_t i = block; i < stop; ++i) {
          if constexpr (timed) __builtin_prefetch(&pools_.entries[columns.key[i + ahead]], 1);
          read(columns, i, false);
        }
      } else {
        for (std::size_t i = block; i < stop; ++i) {
          if constexpr (timed) {
            __builtin_prefetch(&pools_.entries[columns.key[i + ahead]], 1);
            end_due_loads(columns, columns.at[i]);
          }
          event(columns, i);
        }
      }
    }
  }

  // At the same moment, a slice ends first, then look-ups are cleared.
  [[gnu::noinline]] void pass_time(const Columns& columns, Time now) {
    while (now >= next_due_) {
      const Time due = next_due_;
      if constexpr (timed) end_due_loads(columns, due - 1);
      if (due >= pools_.ledger.slice_end()) pools_.ledger.next_slice();
      clear_groups(due);
      find_next_due();
    }
  }

  void find_next_due() { next_due_ = std::min(pools_.ledger.slice_end(), next_clear()); }

  // Replays a whole block of reads that are not forced.
  static bool all_plain(const Columns& columns, std::size_t block, std::size_t stop) {
    if (stop - block < kBlock) return false;
    std::uint64_t marks;
    static_assert(sizeof marks == kBlock);
    std::memcpy(&marks, columns.mark + block, kBlock);
    return marks == 0;
  }

  // Loads that are due end first. There is one exception: if the key is neither held nor being
  // loaded, and the read begins a load, loads of other keys make no difference to it, nor it to
  // them, and their ends are known. Most misses are like that.
  [[gnu::always_inline]] void read(const Columns& columns, std::size_t i, bool forced) {
    const Id key = columns.key[i];
    Entry& entry = pools_.entries[key];
    Group& group = pools_.groups[entry.group];
    const Time now = columns.at[i];
    if constexpr (spares) reach(key, now + columns.cost[i]);
    forced |= group.rules.drop_first;
    if constexpr (foresees) foresee(columns, i, group, entry);
    if (entry.state != 0) {
      if constexpr (timed) end_loads(columns, now);
      if (!forced && serves(entry, now) && hit(columns, i, group, entry, now)) return;
    }
    miss(columns, i, group, entry, forced, now);
  }

  // An expired entry can still be served.
  [[gnu::always_inline]] bool serves(const Entry& entry, Time now) const {
    if constexpr (by_value)
      return entry.held() && now - pools_.value_rules[entry.group].serve_stale < entry.dies_at;
    return entry.live(now);
  }

  // The key is held. Returns whether it answers the read.
  [[gnu::always_inline]] bool hit(const Columns& columns, std::size_t i, Group& group, Entry& entry,
                                  Time now) {
    const Id truth = columns.stretch[i];
    if (is_null(entry.stretch)) [[unlikely]] {
      if (group.rules.nulls == Nulls::blind) return false;
      ++group.tally->counts[kNullsHit];
    }
    Tally& tally = *group.tally;
    ++tally.counts[kHits];
    tally.counts[kBytesHit] += entry.bytes;  // overhead is subtracted at the end
    Time took = group.rules.hit_cost, stale_age = kNoAge;
    if constexpr (by_value) {
      took = hit_time(took, pools_.value_rules[entry.group].hit_cost_per_kib,
                      entry.bytes - group.rules.entry_overhead);
      pools_.ledger.took(tally, took);
    }
    if (is_null(truth)) [[unlikely]]
      ++tally.counts[kNullsRead];
    if (entry.stretch != truth) [[unlikely]]
      stale_age = older_hit(columns, i, entry, tally, now);
    pools_.ledger.answer(tally, now - entry.loaded_at);
    pools_.witness.hit(AllPools::who(entry, columns.key[i]), i, took, now - entry.loaded_at,
                       stale_age, is_null(entry.stretch), now);
    entry.idle_since = now;
    const bool live = !by_value || entry.live(now);
    if (live) group.rules.use(entry, now);
    group.pool->policy.hit(columns.key[i], now);
    if constexpr (by_value) {
      const bool is_due = !live || pools_.value_rules[entry.group].reloads(entry, now);
      if (is_due && !entry.loading()) [[unlikely]]
        reload(columns, i, group, entry, now);
    }
    return true;
  }

  // A hit makes the cache load the value anew. No reader waits for that.
  [[gnu::noinline]] void reload(const Columns& columns, std::size_t i, Group& group, Entry& entry,
                                Time now) {
    const Time cost = columns.cost[i];
    pools_.ledger.load(*group.tally, cost, now);
    ++group.tally->counts[kBackgroundLoads];
    pools_.witness.reload(AllPools::who(entry, columns.key[i]), i, cost, 0, now);
    load(columns, i, group, entry, now);
  }

  // Replays any event. Writes, clears, restarts and forced reads come here.
  [[gnu::noinline]] void event(const Columns& columns, std::size_t i) {
    const Time now = columns.at[i];
    const std::uint8_t mark = columns.mark[i];
    pools_.ledger.at_step(Step::row, columns.row(i));
    switch (mark & kOp) {
      case kRead: return read(columns, i, mark & kForced);
      case kWrite: return write(columns, i, pools_.entries[columns.key[i]], now);
      case kTakenOut: return take_out(pools_.entries[columns.key[i]], now);
      case kClear: return clear(columns.value[i], columns.node[i], now);
      case kRestart: return restart(columns, columns.node[i], now);
      case kElsewhere: return tell(columns.key[i], true, now);
      default: return;  // nothing
    }
  }

  // For a hit on a value that was loaded before the key changed, how long it has been stale. If the
  // key has changed back, the value is the truth again.
  [[gnu::noinline]] Time older_hit(const Columns& columns, std::size_t i, const Entry& entry,
                                   Tally& tally, Time now) {
    if (!columns.is_stale(entry.stretch, i)) return kNoAge;
    if (is_null(entry.stretch)) ++tally.counts[kFalseNulls];
    const Time age = now - stretches_.end(entry.stretch);
    pools_.ledger.stale_hit(tally, age);
    return age;
  }

  // The cache does not answer the read: it joins a load under way, or loads.
  [[gnu::always_inline]] void miss(const Columns& columns, std::size_t i, Group& group,
                                   Entry& entry, bool forced, Time now) {
    Tally& tally = *group.tally;
    const Id truth = columns.stretch[i];
    if (is_null(truth)) [[unlikely]]
      ++tally.counts[kNullsRead];
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
    Tally& tally = *group.tally;
    pools_.ledger.at_step(Step::row, columns.row(i));
    bool repeats = false;
    if constexpr (timed) {
      if (entry.loading()) {
        repeats = group.rules.overlap == Overlap::repeat;
        if (!repeats && !forced) return join(columns, i, entry, tally);
      }
    }
    const Cause own = entry.held() ? absence(entry, group, now) : entry.absence(now);
    count_miss(columns, i, group, entry, miss_cause(forced, repeats, own), now);
    load(columns, i, group, entry, now);
  }

  // Every miss is an origin call, unless it shares one of its scope.
  [[gnu::always_inline]] void count_miss(const Columns& columns, std::size_t i, Group& group,
                                         const Entry& entry, Cause cause, Time now) {
    const Time cost = columns.cost[i];
    const Who who = AllPools::who(entry, columns.key[i]);
    pools_.witness.miss(who, i, cause, cost, 0, is_null(columns.stretch[i]), now);
    if constexpr (by_value) {
      group.tally->sums[kReadTime] += cost;
      if (const auto more = more_of_call(columns, i, group, now)) {
        pools_.ledger.share(*group.tally, cause, cost, *more, columns.size[i]);
        return pools_.witness.share(who, *more);
      }
    }
    pools_.ledger.miss(*group.tally, cause, cost, columns.size[i], now);
    pools_.witness.call(who, cost);
  }

  // How much longer a call of the scope takes because of a load that shares it, if there is one.
  std::optional<Time> more_of_call(const Columns& columns, std::size_t i, const Group& group,
                                   Time now) {
    const Time window = pools_.value_rules[pools_.entries[columns.key[i]].group].batch;
    if (window == 0 || columns.scope[i] < 0) return std::nullopt;
    return batches_.share(SharedCalls::who(group.lookup, columns.scope[i]), now, window,
                          columns.cost[i]);
  }

  void join(const Columns& columns, std::size_t i, const Entry& entry, Tally& tally) {
    const bool own = entry.records();
    const PlainLoad* other = own ? nullptr : &loads_.oldest(columns.key[i]);
    const Id stretch = own ? entry.stretch : other->stretch;
    const Time now = columns.at[i], rest = columns.ends.at[own ? entry.load : other->name] - now;
    const bool stale = columns.is_stale(stretch, i);
    ++tally.counts[kJoined];
    if (stale) ++tally.counts[kJoinedStale];
    pools_.ledger.join(tally, rest, columns.size[i]);
    pools_.witness.join(AllPools::who(entry, columns.key[i]), i, rest,
                        stale ? now - stretches_.end(stretch) : kNoAge, is_null(stretch), now);
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

  Stretches stretches_;
  SharedCalls batches_;
  Time next_due_ = kNever;  // when a slice ends, or a look-up is cleared
};

template <class Policy, Loading loading, bool by_value, class Seen>
bool PlainReplay<Policy, loading, by_value, Seen>::check() const {
  for (Id key = 0; key < pools_.entries.keys(); ++key) {
    const Entry& entry = pools_.entries[key];
    if (!loads_.check(key, entry) || (entry.held() && entry.records())) return false;
  }
  return pools_.check();
}

}  // namespace vestigo
