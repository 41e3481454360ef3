// vestigo/replay.hpp: the replay loop. docs/semantics.md section 3, at speed.
//
// A template over the eviction policy and over whether loads take time, so that nothing in the loop is
// virtual and untimed replays know nothing of loads under way. The trace is known ahead: while one event
// is replayed, the memory that later ones will need is fetched.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

#include "columns.hpp"
#include "entries.hpp"
#include "ledger.hpp"
#include "loads.hpp"
#include "rules.hpp"

namespace vestigo {

template <class Policy, bool timed>
class Replay {
 public:
  // `key_rooms` gives each key's look-up, an index into `rules`.
  Replay(std::span<const Rules> rules, std::span<const Id> key_rooms, Slices slices)
      : entries_(key_rooms, rules.size()), ledger_(rules, std::move(slices)) {
    const auto hubs = static_cast<Id>(key_rooms.size());
    for (std::size_t i = 0; i < rules.size(); ++i) {
      rooms_.push_back({rules[i], Policy(entries_.data(), hubs + static_cast<Id>(i), rules[i]), &ledger_.tally(i)});
    }
  }

  // Replays the events [begin, end).
  void feed(const Columns columns, std::size_t begin, std::size_t end) {
    for (std::size_t block = begin; block < end; block += kBlock) {
      fetch_ahead(columns, block);
      for (std::size_t i = block; i < std::min(block + kBlock, end); ++i) {
        const Time now = columns.at[i];
        catch_up(columns, now);
        if (columns.mark[i] != kRead) [[unlikely]] {
          rare(columns, i, now);
        } else if (!hit(columns.key[i], columns.value[i], now)) {
          miss(columns, i, now);
        }
      }
    }
  }

  // What falls due before an event at `now` happens: loads end, slices end.
  [[gnu::always_inline]] void catch_up(const Columns& columns, Time now) {
    if constexpr (timed) {
      for (; next_end_ < columns.ends.count && columns.ends.at[next_end_] <= now; ++next_end_) {
        end_load(columns, columns.ends.event[next_end_], columns.ends.at[next_end_]);
      }
    }
    turn_slices(now);
  }

  void count_from(Time now) {
    ledger_.count_from(now);
    slice_end_ = ledger_.slice_end();
  }

  // The trace is over; its last event was at `now`.
  void close(Time now) {
    for (Id key = 0; key < entries_.keys(); ++key) {
      const Entry& entry = entries_[key];
      if (entry.held()) ledger_.idle(ledger_.tally(entry.room), entry, now);
    }
    ledger_.close(now);
  }

  const Ledger& ledger() const { return ledger_; }

  // True if entries, orders, sizes and loads agree: for tests, after every step.
  bool check() const;

 private:
  struct Room {
    Rules rules;
    Policy policy;
    Tally* tally;
  };
  static constexpr std::size_t kBlock = 16;

  // Fetches what the blocks after this one will touch: columns first, then entries, then the entries'
  // neighbours in the policy's order. All at once, so that the processor waits for many at a time. Inlined by
  // order: the compiler takes a function that only fetches for one without effect.
  [[gnu::always_inline]] void fetch_ahead(const Columns& columns, std::size_t block) const {
    if (block + 5 * kBlock > columns.events) return;
    for (std::size_t i = block + 4 * kBlock; i < block + 5 * kBlock; i += 8) {
      __builtin_prefetch(&columns.at[i]);
      __builtin_prefetch(&columns.size[i]);
      __builtin_prefetch(&columns.cost[i]);
      __builtin_prefetch(&columns.key[i]);
      __builtin_prefetch(&columns.value[i]);
      __builtin_prefetch(&columns.mark[i]);
    }
    for (std::size_t i = block + 2 * kBlock; i < block + 3 * kBlock; ++i) __builtin_prefetch(&entries_[columns.key[i]], 1);
    if constexpr (Policy::moves_on_hit) {
      for (std::size_t i = block + kBlock; i < block + 2 * kBlock; ++i) {
        const Entry& soon = entries_[columns.key[i]];
        if (!soon.held()) continue;
        __builtin_prefetch(&entries_[soon.before], 1);
        __builtin_prefetch(&entries_[soon.after], 1);
      }
    }
  }

  void turn_slices(Time now) {
    while (now >= slice_end_) [[unlikely]] {
      ledger_.next_slice();
      slice_end_ = ledger_.slice_end();
    }
  }

  // A read that no one forced: true if the cache answers it.
  [[gnu::always_inline]] bool hit(Id key, Id truth, Time now) {
    Entry& entry = entries_[key];
    Room& room = rooms_[entry.room];
    if (!room.rules.live(entry, now)) return false;
    if (truth != entry.truth) [[unlikely]] change(entry, truth, now);
    if (entry.value == kNullValue) [[unlikely]] {
      if (room.rules.nulls == Nulls::blind) return false;
      ++room.tally->counts[kNullsHit];
    }
    Tally& tally = *room.tally;
    ++tally.counts[kHits];
    tally.counts[kBytesHit] += entry.bytes;  // overhead is taken off at the end
    if (truth == kNullValue) [[unlikely]] ++tally.counts[kNullsRead];
    if (entry.value != truth) [[unlikely]] stale_hit(entry, tally, now);
    entry.used_at = now;
    room.policy.hit(entries_.data(), key);
    return true;
  }

  // Writes, clears, restarts, forced reads, and reads that name a value.
  [[gnu::noinline]] void rare(const Columns& columns, std::size_t i, Time now) {
    const std::uint8_t mark = columns.mark[i];
    Entry& entry = entries_[columns.key[i]];
    if (mark & kNames) rename(entry, columns.value[i]);
    switch (mark & kOp) {
      case kRead:
        if (mark & kForced || !hit(columns.key[i], columns.value[i], now)) miss(columns, i, now);
        return;
      case kWrite:
        return write(columns, i, entry, now);
      case kClear:
        return clear(columns.value[i], now);
      default:
        return restart(static_cast<Id>(i), now);
    }
  }

  // The truth of a key changes.
  [[gnu::noinline]] void change(Entry& entry, Id truth, Time now) {
    entry.truth = truth;
    if (entry.changed_at == kNever) entry.changed_at = now;
    if (timed && entry.more_loads) loads_.mark_changed(entries_.id(entry), now);
  }

  // A row tells the truth of its key. Without an entry and a load under way nobody cares when it changed.
  void learn(Entry& entry, Id truth, Time now) {
    const bool cares = entry.held() || (timed && entry.loading());
    if (cares && truth != entry.truth) [[unlikely]] change(entry, truth, now);
    entry.truth = truth;
  }

  void rename(Entry& entry, Id name) {
    const Id unnamed = entry.truth;
    if (entry.value == unnamed) entry.value = name;
    if (timed && entry.more_loads) loads_.rename(entries_.id(entry), unnamed, name);
    entry.truth = name;
  }

  [[gnu::noinline]] void stale_hit(const Entry& entry, Tally& tally, Time now) {
    if (entry.value == kNullValue) ++tally.counts[kGhosts];
    ledger_.stale_hit(tally, now - entry.changed_at);
  }

  // A read that the cache does not answer: it joins a load under way, or loads.
  [[gnu::always_inline]] void miss(const Columns& columns, std::size_t i, Time now) {
    const Id key = columns.key[i];
    Entry& entry = entries_[key];
    Room& room = rooms_[entry.room];
    Tally& tally = *room.tally;
    learn(entry, columns.value[i], now);
    if (entry.truth == kNullValue) ++tally.counts[kNullsRead];
    const bool forced = columns.mark[i] & kForced;
    Cause cause = forced ? kForcedMiss : kCauses;
    if constexpr (timed) {
      forget_lost_load(entry);
      if (entry.loading()) [[unlikely]] {
        const bool joins = room.rules.overlap == Overlap::join;
        if (joins && !forced) return join(columns, i, entry, tally);
        if (!joins) cause = kLoading;
      }
    }
    const Cause own = entry.held() ? absence(entry, room, now) : entry.cause;
    ++tally.counts[cause == kCauses ? own : cause];
    const Time cost = columns.cost[i];
    const Bytes size = columns.size[i];
    ledger_.load(tally, cost, size, now);
    if (timed && cost > 0) {
      begin_load(key, static_cast<Id>(i), entry);
    } else {
      store(room, entry, key, entry.truth, size, now, kNever, now);
    }
  }

  void join(const Columns& columns, std::size_t i, const Entry& entry, Tally& tally) {
    const bool own = entry.load != kNone;
    const Load* other = own ? nullptr : &loads_.oldest(columns.key[i]);
    const auto began = static_cast<std::size_t>(own ? entry.load : other->event);
    ++tally.counts[kJoined];
    if ((own ? entry.value : other->value) != entry.truth) ++tally.counts[kJoinedStale];
    ledger_.join(tally, columns.at[began] + columns.cost[began] - columns.at[i], columns.size[i]);
  }

  // Why a held entry does not answer. An expired one that is touched leaves here.
  [[gnu::noinline]] Cause absence(Entry& entry, Room& room, Time now) {
    if (room.rules.live(entry, now)) return kNull;  // a blind null, or a forced read, whose cause is another
    ++room.tally->counts[kExpirations];
    leave(room, entry, room.rules.expiry(entry), now);
    return entry.cause;
  }

  [[gnu::always_inline]] void begin_load(Id key, Id event, Entry& entry) {
    if (entry.held() || entry.loading()) [[unlikely]] {
      loads_.begin(key, event, entry.truth);
      entry.more_loads = true;
      return;
    }
    entry.load = event;
    entry.value = entry.truth;
    entry.changed_at = kNever;
    entry.raced = false;
  }

  // The load that a read would have begun ends, if it did begin one.
  [[gnu::always_inline]] void end_load(const Columns& columns, Id event, Time now) {
    const auto began = static_cast<std::size_t>(event);
    const Id key = columns.key[began];
    Entry& entry = entries_[key];
    if (entry.load == event) {
      if (event < restarted_) [[unlikely]] return forget_lost_load(entry);
      entry.load = kNone;
      finish(columns, began, entry, {.changed_at = entry.changed_at, .value = entry.value, .raced = entry.raced}, now);
    } else if (entry.more_loads) [[unlikely]] {
      if (loads_.began(event)) finish(columns, began, entry, loads_.finish(key, event, entry), now);
    }
  }

  [[gnu::always_inline]] void finish(const Columns& columns, std::size_t began, Entry& entry, const Load& load, Time now) {
    Room& room = rooms_[entry.room];
    turn_slices(now);
    const bool kept =
        store(room, entry, columns.key[began], load.value, columns.size[began], columns.at[began], load.changed_at, now);
    if (load.raced && kept) [[unlikely]] ++room.tally->counts[kRaced];
  }

  // A load that an entry records was given up if there was a restart since it began.
  void forget_lost_load(Entry& entry) const {
    if (entry.load == kNone || entry.load > restarted_) return;
    entry.load = kNone;
    entry.cause = kRestarted;
  }

  // Keeps a value that was loaded or written if the rules allow; true if it was kept.
  [[gnu::always_inline]] bool store(Room& room, Entry& entry, Id key, Id value, Bytes size, Time loaded_at, Time changed_at, Time now) {
    const Rules& rules = room.rules;
    Tally& tally = *room.tally;
    if (!rules.keeps(value)) [[unlikely]] {
      if (!entry.held()) entry.cause = kNull;
      return false;
    }
    if (entry.held()) [[unlikely]] supersede(room, entry, now);
    const Bytes bytes = size + rules.entry_overhead;
    if (bytes > rules.max_bytes) [[unlikely]] {
      ++tally.counts[kRefusals];
      entry.cause = kRefused;
      return false;
    }
    std::int64_t held = tally.held.entries;
    Bytes held_bytes = tally.held.bytes;
    while (held >= rules.max_entries || held_bytes > rules.max_bytes - bytes) {
      Entry& victim = entries_[room.policy.victim(entries_.data())];
      ++tally.counts[kEvictions];
      --held;
      held_bytes -= victim.bytes;
      take_out(room, victim, kEvicted, now);
      __builtin_prefetch(&entries_[entries_[room.policy.victim(entries_.data())].before], 1);
    }
    if (timed && entry.load != kNone) [[unlikely]] make_way(key, entry);
    entry.ages_at = rules.ages_at(value, loaded_at);
    entry.used_at = loaded_at;
    entry.stored_at = now;
    entry.changed_at = changed_at;
    entry.bytes = bytes;
    entry.value = value;
    ++tally.counts[kStored];
    room.policy.placed(entries_.data(), key);
    ledger_.hold(tally, held + 1, held_bytes + bytes, now);
    return true;
  }

  // The entry is about to hold a value while it records a load.
  [[gnu::noinline]] void make_way(Id key, Entry& entry) {
    forget_lost_load(entry);
    if (entry.load != kNone) loads_.take_over(key, entry);
  }

  [[gnu::noinline]] void supersede(Room& room, Entry& entry, Time now) {
    ++room.tally->counts[kSuperseded];
    leave(room, entry, kRefused, now);
  }

  // An entry goes; `cause` is what its key's next miss will be put down to.
  void leave(Room& room, Entry& entry, Cause cause, Time now) {
    Tally& tally = *room.tally;
    take_out(room, entry, cause, now);
    ledger_.hold(tally, tally.held.entries - 1, tally.held.bytes - entry.bytes, now);
  }

  // The same without the account of what is held.
  [[gnu::always_inline]] void take_out(Room& room, Entry& entry, Cause cause, Time now) {
    ledger_.idle(*room.tally, entry, now);
    room.policy.left(entries_.data(), entries_.id(entry));
    entry.ages_at = kGone;
    entry.cause = cause;
  }

  void write(const Columns& columns, std::size_t i, Entry& entry, Time now) {
    const Id value = columns.value[i];
    learn(entry, value, now);
    Room& room = rooms_[entry.room];
    const Rules& rules = room.rules;
    if (rules.on_write == OnWrite::leave) return;
    if (rules.on_write == OnWrite::replace && rules.keeps(value)) {
      store(room, entry, columns.key[i], value, columns.size[i], now, kNever, now);
      return;
    }
    if constexpr (timed) {
      entry.raced = true;
      if (entry.more_loads) loads_.mark_raced(columns.key[i]);
    }
    if (!entry.held()) return;
    ++room.tally->counts[kDrops];
    leave(room, entry, kDropped, now);
  }

  void clear(Id lookup, Time now) {
    for (std::size_t room = 0; room < rooms_.size(); ++room) {
      if (lookup == kNone || static_cast<std::size_t>(lookup) == room) empty(room, kCleared, kClears, now);
    }
  }

  void restart(Id event, Time now) {
    if constexpr (timed) {
      restarted_ = event;
      loads_.abandon([this](Id key) {
        entries_[key].more_loads = false;
        entries_[key].cause = kRestarted;
      });
    }
    for (std::size_t room = 0; room < rooms_.size(); ++room) empty(room, kRestarted, kLost, now);
  }

  void empty(std::size_t room, Cause cause, Count count, Time now) {
    Room& emptied = rooms_[room];
    while (emptied.tally->held.entries > 0) {
      ++emptied.tally->counts[count];
      leave(emptied, entries_[emptied.policy.victim(entries_.data())], cause, now);
    }
  }

  Entries entries_;
  std::vector<Room> rooms_;
  Ledger ledger_;
  Loads loads_;
  std::size_t next_end_ = 0;  // in Columns::ends
  Id restarted_ = kNone;      // the event of the last restart
  Time slice_end_ = kNever;
};

template <class Policy, bool timed>
bool Replay<Policy, timed>::check() const {
  std::vector<Level> found(rooms_.size());
  for (Id key = 0; key < entries_.keys(); ++key) {
    const Entry& entry = entries_[key];
    if (!loads_.check(key, entry) || (entry.held() && entry.load != kNone)) return false;
    if (!entry.held()) continue;
    if (entries_[entry.before].after != key || entries_[entry.after].before != key) return false;
    found[entry.room].change(1, entry.bytes);
  }
  Level all;
  for (std::size_t i = 0; i < rooms_.size(); ++i) {
    const Tally& tally = ledger_.tallies()[i];
    const Rules& rules = rooms_[i].rules;
    if (tally.held.entries != found[i].entries || tally.held.bytes != found[i].bytes) return false;
    if (found[i].entries > rules.max_entries || found[i].bytes > rules.max_bytes) return false;
    all.change(found[i].entries, found[i].bytes);
  }
  return all.entries == ledger_.held().entries && all.bytes == ledger_.held().bytes;
}

}  // namespace vestigo
