// vestigo/replay.hpp: the replay loop. docs/semantics.md section 3, at speed.
//
// It is a template over the eviction policy, how loads end, whether rules need single values, and
// the witness. So nothing in the loop is virtual, and a replay does not pay for what it was not
// asked for. The trace is known ahead: while one event is replayed, the memory for later ones is
// fetched.
#pragma once

#include <algorithm>
#include <cstring>
#include <span>
#include <vector>

#include "columns.hpp"
#include "fetch.hpp"
#include "missing.hpp"

namespace vestigo {

template <class Policy, Loading loading, bool by_value = false, class Seen = NoWitness>
class PlainReplay : PlainMissing<Policy, loading, by_value, Seen> {
  using Base = PlainMissing<Policy, loading, by_value, Seen>;
  using Base::calls_, Base::clear, Base::clear_groups, Base::end_due_loads, Base::end_loads;
  using Base::foresee, Base::loads_, Base::miss, Base::next_clear, Base::pending_, Base::pools_;
  using Base::reach, Base::reload, Base::restart, Base::stretches_, Base::take_out, Base::tell;
  using Base::write, Base::timed, Base::serves, Base::spares, Base::foresees;
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
      if (!forced && answers(entry, now) && hit(columns, i, group, entry, now)) return;
    }
    miss(columns, i, group, entry, forced, now);
  }

  // An expired entry can still answer.
  [[gnu::always_inline]] bool answers(const Entry& entry, Time now) const {
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
    if constexpr (serves)
      tally.counts[kSlowReads] += calls_.is_slow(pools_.value_rules[entry.group], took);
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
