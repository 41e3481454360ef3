// vestigo/pools.hpp: what the look-ups hold. An entry comes in here if the rules allow, others make way for it, and every
// way out is here.
#pragma once

#include <span>
#include <utility>
#include <vector>

#include "entries.hpp"
#include "ledger.hpp"
#include "rules.hpp"

namespace vestigo {

template <class Policy>
struct Pools {
  // Of one look-up; its size is a power of two, so that finding it takes no multiplication.
  struct alignas(128) Room {
    Rules rules;
    Policy policy;
    Tally* tally;
  };

  Entries entries;
  std::vector<Room> rooms;
  Ledger ledger;

  // `key_rooms` gives each key's look-up, an index into `rules`.
  Pools(std::span<const Rules> rules, std::span<const Id> key_rooms, Slices slices)
      : entries(key_rooms, rules.size()), ledger(rules, std::move(slices)) {
    const auto hubs = static_cast<Id>(key_rooms.size());
    for (std::size_t i = 0; i < rules.size(); ++i) {
      rooms.push_back({rules[i], Policy(entries.data(), hubs + static_cast<Id>(i), rules[i]), &ledger.tally(i)});
    }
  }

  // Keeps a value that was loaded or written if the rules allow; true if it was kept. The key neither holds a value nor
  // records a load, and the caller fills in what is kept.
  [[gnu::always_inline]] bool keep(Room& room, Entry& entry, Id key, Id value, Bytes size, Time loaded_at, Time now) {
    const Rules& rules = room.rules;
    Tally& tally = *room.tally;
    Time lifetime = rules.absolute;
    if (value == kNullValue) [[unlikely]] {
      if (!rules.keeps(value)) return decline(entry);
      lifetime = rules.null_lifetime;
    }
    const Bytes bytes = size + rules.entry_overhead;
    std::int64_t more_entries = 1;
    Bytes more_bytes = bytes;
    if (tally.held.entries >= rules.max_entries || tally.held.bytes + bytes > rules.max_bytes) {
      if (bytes > rules.max_bytes) [[unlikely]] return refuse(room, entry);
      Entry& victim = entries[room.policy.evict(entries.data())];
      ++tally.counts[kEvictions];
      more_entries = 0;
      more_bytes -= victim.bytes;
      vacate(room, victim, kEvicted, now);
      __builtin_prefetch(&entries[entries[room.policy.victim(entries.data())].before], 1);
      if (tally.held.bytes + more_bytes > rules.max_bytes) [[unlikely]] evict(room, more_bytes, now);
    }
    entry.ages_at = loaded_at + lifetime;
    rules.use(entry, loaded_at);
    entry.idle_since = now;
    entry.bytes = bytes;
    entry.set(Entry::kHeld);
    ++tally.counts[kStored];
    room.policy.placed(entries.data(), key);
    ledger.hold(tally, more_entries, more_bytes, now);
    return true;
  }

  // An entry goes; `cause` is what its key's next miss will be put down to.
  void leave(Room& room, Entry& entry, Cause cause, Time now) {
    room.policy.left(entries.data(), entries.id(entry));
    vacate(room, entry, cause, now);
    ledger.hold(*room.tally, -1, -entry.bytes, now);
  }

  // The same where a later value of its key comes in.
  [[gnu::noinline]] void supersede(Room& room, Entry& entry, Time now) {
    ++room.tally->counts[kSuperseded];
    leave(room, entry, kRefused, now);
  }

  // All of a look-up's entries go, and are counted as `count`.
  void empty(std::size_t room, Cause cause, Count count, Time now) {
    Room& emptied = rooms[room];
    while (emptied.tally->held.entries > 0) {
      ++emptied.tally->counts[count];
      leave(emptied, entries[emptied.policy.victim(entries.data())], cause, now);
    }
  }

  // The trace is over; its last event was at `now`.
  void close(Time now) {
    for (Room& room : rooms) {
      for (std::int64_t left = room.tally->held.entries; left > 0; --left) {
        const Id id = room.policy.victim(entries.data());
        ledger.idle(*room.tally, entries[id].bytes, entries[id].idle_since, now);
        room.policy.left(entries.data(), id);
      }
    }
    ledger.close(now);
  }

  // True if entries, orders and sizes agree: for tests, after every step.
  bool check() const {
    std::vector<Level> found(rooms.size());
    for (Id key = 0; key < entries.keys(); ++key) {
      const Entry& entry = entries[key];
      if (!entry.held()) continue;
      if (entries[entry.before].after != key || entries[entry.after].before != key) return false;
      found[entry.room].change(1, entry.bytes);
    }
    Level all;
    for (std::size_t i = 0; i < rooms.size(); ++i) {
      const Tally& tally = ledger.tallies()[i];
      const Rules& rules = rooms[i].rules;
      if (tally.held.entries != found[i].entries || tally.held.bytes != found[i].bytes) return false;
      if (found[i].entries > rules.max_entries || found[i].bytes > rules.max_bytes) return false;
      all.change(found[i].entries, found[i].bytes);
    }
    return all.entries == ledger.held().entries && all.bytes == ledger.held().bytes;
  }

 private:
  // `leave` for one that is out of the order already, without the account of what is held.
  [[gnu::always_inline]] void vacate(Room& room, Entry& entry, Cause cause, Time now) {
    ledger.idle(*room.tally, entry.bytes, entry.idle_since, now);
    entry.unset(Entry::kHeld);
    entry.dies_at = kGone;
    entry.cause = cause;
  }

  // One entry has made way already, so that their number is no longer the limit.
  [[gnu::noinline]] void evict(Room& room, Bytes more_bytes, Time now) {
    do {
      ++room.tally->counts[kEvictions];
      leave(room, entries[room.policy.victim(entries.data())], kEvicted, now);
    } while (room.tally->held.bytes + more_bytes > room.rules.max_bytes);
  }

  [[gnu::noinline]] static bool decline(Entry& entry) {
    if (!entry.held()) entry.cause = kNull;
    return false;
  }

  [[gnu::noinline]] static bool refuse(Room& room, Entry& entry) {
    ++room.tally->counts[kRefusals];
    entry.cause = kRefused;
    return false;
  }
};

}  // namespace vestigo
