// vestigo/loading.hpp: how loads begin and end in the plain replay.
#pragma once

#include <utility>
#include <vector>

#include "columns.hpp"
#include "loads.hpp"
#include "origin_calls.hpp"
#include "pending.hpp"
#include "pools.hpp"

namespace vestigo {

template <class Policy, Loading loading, bool by_value, class Seen>
class PlainLoading {
 protected:
  static constexpr bool serves = loading == Loading::served, spares = loading == Loading::spared;
  static constexpr bool timed = serves || loading == Loading::timed;
  static_assert(!serves || (by_value && !Seen::sees),
                "where an origin serves, only the full replay tells of reads");
  static constexpr bool foresees = requires(Policy policy) { policy.coming(Id{}, std::int64_t{}); };
  using AllPools = Pools<Policy, by_value, Seen>;
  using Group = typename AllPools::Group;

  PlainLoading(const PlainSetting& setting, Slices slices)
      : pools_(setting, std::move(slices)), calls_(setting.origins) {}

  // Begins a batch. The names of loads under way become their places among its ends.
  void open_loads(const Columns& columns) {
    const Ends& ends = columns.ends;
    std::vector<std::pair<Entry*, Id>> recorded;
    for (std::size_t i = 0; i < ends.carried.size(); ++i) {
      Entry& entry = pools_.entries[ends.key[ends.carried[i]]];
      if (entry.load == ends.carried_from + static_cast<Id>(i))
        recorded.emplace_back(&entry, ends.carried[i]);
    }
    for (const auto& [entry, name] : recorded) entry->load = name;
    if (serves || pools_.ledger.keeps_course()) find_rows(columns);
    loads_.rename(ends);
    pending_.open(ends);
  }

  // An event loads a key.
  void load(const Columns& columns, std::size_t i, Group& group, Entry& entry, Time now) {
    const Time cost = columns.cost[i];
    const Bytes size = columns.size[i];
    if (timed && cost > 0) {
      const Id place = columns.ends.place[i];
      pending_.begin(columns.ends, place);
      return begin_load(columns, i, entry, place, now);
    }
    pools_.ledger.at_step(Step::row, columns.row(i));
    store(group, entry, columns.key[i], columns.stretch[i], size, now, cost, now);
  }

  // The same, with a call that an origin serves.
  void load(const Columns& columns, std::size_t i, Group& group, Entry& entry, const Call& call,
            Time now) {
    const Time cost = columns.cost[i], took = call.ends - now;
    if (took > 0 && took == cost) return load(columns, i, group, entry, now);
    if (took > 0) {
      const DelayedLoad delayed{call.ends, took - cost, columns.row(i), columns.key[i]};
      return begin_load(columns, i, entry, delayed_.begin(delayed), now);
    }
    end_due_loads(columns, now);
    load(columns, i, group, entry, now);
  }

  void begin_load(const Columns& columns, std::size_t i, Entry& entry, Id name, Time now) {
    const Id stretch = columns.stretch[i];
    const Bytes size = columns.size[i];
    if (entry.state == 0) return entry.record(name, stretch, size, now);
    loads_.begin(columns.key[i],
                 {.loaded_at = now, .size = size, .name = name, .stretch = stretch});
    entry.set(Entry::kMoreLoads);
  }

  // When a load under way ends.
  Time end_of(const Columns& columns, Id name) const {
    return serves && Delayed::is_one(name) ? delayed_[name].ends_at : columns.ends.at[index(name)];
  }

  // A load ends, which took so much longer than its cost.
  [[gnu::always_inline]] void end_load(Id key, Id load, Time now, Time more = 0) {
    Entry& entry = pools_.entries[key];
    if (entry.load != load) [[unlikely]]
      return end_other_load(key, load, entry, now, more);
    Group& group = pools_.groups[entry.group];
    const bool kept = pools_.keep(group, entry, key, entry.stretch, entry.bytes, entry.loaded_at,
                                  now - entry.loaded_at - more, now);
    if (entry.drop_missed() && kept) [[unlikely]]
      ++group.tally->counts[kRaced];
    entry.forget_load();
  }

  // The same for a load that its entry does not record.
  [[gnu::noinline]] void end_other_load(Id key, Id name, Entry& entry, Time now, Time more) {
    const PlainLoad load = loads_.finish(key, name, entry);
    Group& group = pools_.groups[entry.group];
    const bool kept = store(group, entry, key, load.stretch, load.size, load.loaded_at,
                            now - load.loaded_at - more, now);
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

  // Ends the loads that are due at `now`.
  [[gnu::always_inline]] void end_loads(const Columns& columns, Time now) {
    for (;;) {
      if constexpr (serves) {
        if (is_delayed_next(now)) {
          end_delayed_load();
          continue;
        }
      }
      if (pending_.next_at() > now) return;
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

  // For a policy that knows the future.
  void foresee(const Columns& columns, std::size_t i, Group& group, const Entry& entry) {
    if (columns.next_read == nullptr) return;
    if (timed && entry.state != 0) end_due_loads(columns, columns.at[i]);
    group.pool->policy.coming(columns.key[i], columns.next_read[i]);
  }

  AllPools pools_;
  PlainLoads loads_;
  Pending pending_;
  Delayed delayed_;  // if an origin serves the loads
  OriginCalls calls_;

 private:
  bool is_delayed_next(Time now) const {
    const Time at = delayed_.next_at(), other = pending_.next_at();
    return at <= now &&
           (at < other || (at == other && delayed_.next_row() < begun_rows_[pending_.next()]));
  }

  [[gnu::noinline]] void end_delayed_load() {
    const Id name = delayed_.next();
    const DelayedLoad load = delayed_.take_next();
    if (load.key == kNone) return;
    pools_.ledger.at_step(Step::load, load.row);
    end_load(load.key, name, load.ends_at, load.more);
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

  std::vector<std::int64_t> begun_rows_;  // by load, if anybody asks
};

}  // namespace vestigo
