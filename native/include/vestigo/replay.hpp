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

#include "shared_calls.hpp"
#include "columns.hpp"
#include "fetch.hpp"
#include "loads.hpp"
#include "pending.hpp"
#include "pools.hpp"

namespace vestigo {

template <class Policy, Loading loading, bool by_value = false, class Seen = NoWitness>
class PlainReplay {
  static constexpr bool timed = loading == Loading::timed, spares = loading == Loading::spared;

 public:
  PlainReplay(const PlainSetting& setting, Slices slices) : pools_(setting, std::move(slices)) {
    for (std::size_t lookup = 0; lookup < setting.clears.size(); ++lookup) {
      for (const Time at : setting.clears[lookup]) clears_.push_back({at, lookup});
    }
    std::sort(clears_.begin(), clears_.end(),
              [](const Clear& a, const Clear& b) { return a.at < b.at; });
    find_next_due();
    if constexpr (spares) {
      reach_.assign(static_cast<std::size_t>(pools_.entries.keys()), kGone);
      news_take_ = setting.news_take;
    }
  }

  // Begins a batch, whose events are fed next. The names of loads under way become their places
  // among its ends.
  void open(const Columns& columns) {
    stretches_ = columns.stretches;
    if constexpr (timed) {
      const Ends& ends = columns.ends;
      std::vector<std::pair<Entry*, Id>> recorded;
      for (std::size_t i = 0; i < ends.carried.size(); ++i) {
        Entry& entry = pools_.entries[ends.key[ends.carried[i]]];
        if (entry.load == ends.carried_from + static_cast<Id>(i))
          recorded.emplace_back(&entry, ends.carried[i]);
      }
      for (const auto& [entry, name] : recorded) entry->load = name;
      if (pools_.ledger.keeps_course()) find_rows(columns);
      loads_.rename(ends);
      pending_.open(ends);
    }
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
  using AllPools = Pools<Policy, by_value, Seen>;
  using Group = typename AllPools::Group;
  static constexpr bool foresees = requires(Policy policy) { policy.coming(Id{}, std::int64_t{}); };

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

  // Clears all groups that are due, at once.
  void clear_groups(Time due) {
    std::vector<bool> goes(pools_.ledger.tallies().size());
    const std::size_t before = clear_;
    for (; clear_ < clears_.size() && clears_[clear_].at <= due; ++clear_)
      goes[clears_[clear_].lookup] = true;
    if (clear_ == before) return;
    pools_.ledger.at_step(Step::clear, 0);
    pools_.empty([&](const Group& group) { return goes[index(group.lookup)]; }, kCleared, kClears,
                 due);
  }

  void find_next_due() {
    next_due_ =
        std::min(pools_.ledger.slice_end(), clear_ < clears_.size() ? clears_[clear_].at : kNever);
  }

  // Ends the loads that are due at `now`.
  [[gnu::always_inline]] void end_loads(const Columns& columns, Time now) {
    while (pending_.next_at() <= now) {
      const Time ended = pending_.next_at();
      const Id load = pending_.end(columns.ends);
      __builtin_prefetch(&pools_.entries[columns.ends.key[pending_.next()]], 1);
      if (!begun_rows_.empty()) [[unlikely]]
        pools_.ledger.at_step(Step::load, begun_rows_[index(load)]);
      end_load(columns.ends.key[load], load, ended);
    }
  }

  [[gnu::noinline]] void end_due_loads(const Columns& columns, Time now) {
    end_loads(columns, now);
  }

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

  // For a policy that knows the future.
  void foresee(const Columns& columns, std::size_t i, Group& group, const Entry& entry) {
    if (columns.next_read == nullptr) return;
    if (timed && entry.state != 0) end_due_loads(columns, columns.at[i]);
    group.pool->policy.coming(columns.key[i], columns.next_read[i]);
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
      const Id load = columns.ends.place[i];
      pending_.begin(columns.ends, load);
      entry.record(load, truth, size, now);
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

  // An event loads a key.
  void load(const Columns& columns, std::size_t i, Group& group, Entry& entry, Time now) {
    const Time cost = columns.cost[i];
    const Bytes size = columns.size[i];
    if (timed && cost > 0) return begin_load(columns, i, entry, size, now);
    pools_.ledger.at_step(Step::row, columns.row(i));
    store(group, entry, columns.key[i], columns.stretch[i], size, now, cost, now);
  }

  void begin_load(const Columns& columns, std::size_t i, Entry& entry, Bytes size, Time now) {
    const Id load = columns.ends.place[i];
    pending_.begin(columns.ends, load);
    if (entry.state == 0) return entry.record(load, columns.stretch[i], size, now);
    loads_.begin(columns.key[i],
                 {.loaded_at = now, .size = size, .name = load, .stretch = columns.stretch[i]});
    entry.set(Entry::kMoreLoads);
  }

  // A load ends.
  [[gnu::always_inline]] void end_load(Id key, Id load, Time now) {
    Entry& entry = pools_.entries[key];
    if (entry.load != load) [[unlikely]]
      return end_other_load(key, load, entry, now);
    Group& group = pools_.groups[entry.group];
    const bool kept = pools_.keep(group, entry, key, entry.stretch, entry.bytes, entry.loaded_at,
                                  now - entry.loaded_at, now);
    if (entry.drop_missed() && kept) [[unlikely]]
      ++group.tally->counts[kRaced];
    entry.forget_load();
  }

  // The same for a load that its entry does not record.
  [[gnu::noinline]] void end_other_load(Id key, Id name, Entry& entry, Time now) {
    const PlainLoad load = loads_.finish(key, name, entry);
    Group& group = pools_.groups[entry.group];
    const bool kept = store(group, entry, key, load.stretch, load.size, load.loaded_at,
                            now - load.loaded_at, now);
    if (kept && load.raced) ++group.tally->counts[kRaced];
  }

  // Keeps a loaded or written value if the rules allow, and returns whether it did.
  [[gnu::noinline]] bool store(Group& group, Entry& entry, Id key, Id stretch, Bytes size,
                               Time loaded_at, Time cost, Time now, bool written = false) {
    if (group.rules.keeps(stretch)) {
      if (entry.held()) pools_.supersede(group, entry, now);
      if (timed && pools_.accepts(group, entry, size, cost) && entry.records())
        loads_.take_over(key, entry);
    }
    return pools_.keep(group, entry, key, stretch, size, loaded_at, cost, now, written);
  }

  void write(const Columns& columns, std::size_t i, Entry& entry, Time now) {
    const Id truth = columns.stretch[i];
    if constexpr (spares) reach(columns.key[i], now + news_take_);
    Group& group = pools_.groups[entry.group];
    const Rules& rules = group.rules;
    if constexpr (foresees) foresee(columns, i, group, entry);
    const WriteDoes does = write_does(rules, truth);
    if (does == WriteDoes::drop) drop(columns.key[i], now);
    if (does == WriteDoes::put && store(group, entry, columns.key[i], truth, columns.size[i], now,
                                        columns.cost[i], now, true))
      pools_.put(columns.key[i]);
    tell(columns.key[i], false, now);
  }

  void drop(Id key, Time now) {
    Entry& entry = pools_.entries[key];
    if constexpr (timed) {
      if (entry.records()) entry.set(Entry::kDropMissed);
      if (entry.more_loads()) loads_.mark_raced(key);
    }
    if (entry.held()) pools_.leave(pools_.groups[entry.group], entry, kDropped, kDrops, now);
  }

  // The other nodes hear of a write, which may come from none of the caches, and drop what they
  // have of its key.
  void tell(Id key, bool came_from_none, Time now) {
    if (pools_.groups[pools_.entries[key].group].rules.tell_nodes == TellNodes::nothing) return;
    for (const Id entry : pools_.hearing(key, came_from_none)) drop(entry, now);
  }

  // The program takes an entry out of its own cache. Ceilings keep it: a load under way could bring
  // it back.
  void take_out(Entry& entry, Time now) {
    if (!spares && entry.held())
      pools_.leave(pools_.groups[entry.group], entry, kDropped, kDrops, now);
  }

  // Whether a group belongs to one look-up (or any), and to one node (or any).
  void clear(Id lookup, Id node, Time now) {
    const auto goes = [&](const Group& group) {
      return (lookup == kNone || group.lookup == lookup) && group.is_on(node);
    };
    if constexpr (spares) {
      pools_.empty_in_part(
          goes, [&](Id key) { return reach_[index(key)] <= now; }, kCleared, kClears, now);
    } else {
      pools_.empty(goes, kCleared, kClears, now);
    }
  }

  // The latest moment at which what an event of the key brings is there.
  void reach(Id key, Time at) {
    Time& last = reach_[index(key)];
    last = std::max(last, at);
  }

  void restart(const Columns& columns, Id node, Time now) {
    std::vector<Id> given_up;
    if constexpr (timed) {
      pending_.abandon(columns.ends, [&](Id load) {
        const Id key = columns.ends.key[load];
        Entry& entry = pools_.entries[key];
        if (!pools_.groups[entry.group].is_on(node)) return false;
        if (entry.records() && entry.load == load) {
          entry.forget_load();
        } else {
          loads_.finish(key, load, entry);
        }
        given_up.push_back(key);
        return true;
      });
    }
    pools_.empty(
        [&](const Group& group) { return !group.rules.survives_restart && group.is_on(node); },
        kRestarted, kLost, now);
    for (const Id key : given_up) {
      Entry& entry = pools_.entries[key];
      if (!entry.held()) entry.miss_out(kRestarted);
    }
  }

  // For each load that can end in the batch, the row that begins it.
  void find_rows(const Columns& columns) {
    const Ends& ends = columns.ends;
    std::vector<std::int64_t> rows(ends.count);
    for (std::size_t i = 0; i < ends.carried.size(); ++i)
      rows[index(ends.carried[i])] = begun_rows_[static_cast<std::size_t>(ends.carried_from) + i];
    for (std::size_t i = 0; i < columns.events; ++i) {
      const bool loads = (columns.mark[i] & kOp) == kRead && columns.cost[i] > 0;
      if (loads) rows[index(ends.place[i])] = columns.row(i);
    }
    begun_rows_ = std::move(rows);
  }

  // A look-up that is cleared by schedule.
  struct Clear {
    Time at;
    std::size_t lookup;
  };

  AllPools pools_;
  Stretches stretches_;
  std::vector<Time> reach_;  // for each entry, if clears spare some
  Time news_take_ = 0;
  PlainLoads loads_;
  Pending pending_;
  SharedCalls batches_;
  std::vector<std::int64_t> begun_rows_;  // by load, if the course is kept
  std::vector<Clear> clears_;
  std::size_t clear_ = 0;   // the next of them
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
