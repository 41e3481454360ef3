// vestigo/pools.hpp: what the look-ups hold. An entry comes in here if the rules allow, others make way for it, and every
// way out is here.
#pragma once

#include <algorithm>
#include <span>
#include <utility>
#include <vector>

#include "draw.hpp"
#include "entries.hpp"
#include "ledger.hpp"
#include "policy/home.hpp"
#include "rules.hpp"

namespace vestigo {

// What a replay is asked for. A room is a look-up's, or where each node has a cache of its own, a look-up's on a node.
struct Setting {
  std::span<const Id> entry_rooms;   // of every key; or, where nodes have caches of their own, of every key on a node
  std::span<const Id> entry_keys{};  // whose entry it is, where nodes have caches of their own
  std::span<const std::uint8_t> entry_is_first{};  // whether no other entry of its key is loaded before it
  std::size_t keys = 0;
  std::span<const Rules> lookups;
  std::span<const Id> room_lookups;
  std::span<const Id> room_nodes;    // kNone: of rows that name none, or of all rows
  std::span<const std::uint8_t> room_is_of_node;
  std::span<const Id> room_pools;
  std::span<const PoolRules> pools;
  std::span<const std::vector<Time>> clears;  // when each look-up is cleared by schedule, ascending
  Time news_take = 0;  // how long a write may be on its way to other nodes, where clears spare what is
};

template <class Policy>
struct Pools {
  struct Pool {
    PoolRules rules;
    policy::Home home;
    Policy policy;
    std::int64_t entries = 0;
    Bytes bytes = 0;

    Bytes largest_where_full, bytes_where_full;  // more does not come in when it is full; more is held than may stay then

    Pool(const PoolRules& own, const policy::Home& place)
        : rules(own), home(place), policy(home), largest_where_full(own.refuses ? -1 : own.max_bytes), bytes_where_full(own.trims ? -1 : own.max_bytes) {}

    bool is_full_for(Bytes more) const { return entries >= rules.max_entries || bytes + more > rules.max_bytes; }
  };

  // Its size is a power of two, so that finding it takes no multiplication.
  struct alignas(128) Room {
    Pool* pool;
    Tally* tally;
    Rules rules;
    Id lookup;
    Id node;
    bool is_of_node;

    // Whether a clear or a restart that names a node, or none, empties it.
    bool is_on(Id named) const { return named == kNone || !is_of_node || named == node; }
  };

  Entries entries;
  policy::Notes notes;
  std::vector<Pool> pools;  // of a fixed size: rooms and policies point into it
  std::vector<Room> rooms;
  Ledger ledger;

  Pools(const Setting& setting, Slices slices)
      : entries(setting.entry_rooms, setting.entry_is_first, setting.pools.size() * policy::kHubs),
        notes(setting.pools, setting.entry_rooms.size(), setting.pools.size() * policy::kHubs),
        ledger(setting.lookups, std::move(slices)),
        entry_keys_(setting.entry_keys),
        keys_(setting.keys) {
    const auto keys = static_cast<Id>(setting.entry_rooms.size());
    pools.reserve(setting.pools.size());
    for (const PoolRules& rules : setting.pools) {
      const Id hubs = keys + static_cast<Id>(pools.size()) * policy::kHubs;
      pools.emplace_back(rules, policy::Home(rules, entries.data(), notes, hubs));
    }
    for (std::size_t i = 0; i < setting.room_lookups.size(); ++i) {
      const auto lookup = static_cast<std::size_t>(setting.room_lookups[i]);
      rooms.push_back({&pools[static_cast<std::size_t>(setting.room_pools[i])], &ledger.tally(lookup), setting.lookups[lookup],
                       setting.room_lookups[i], setting.room_nodes[i], setting.room_is_of_node[i] != 0});
    }
    const bool puts = std::any_of(setting.lookups.begin(), setting.lookups.end(), [](const Rules& rules) { return rules.on_write == OnWrite::replace; });
    if (!puts || setting.entry_is_first.empty()) return;
    first_entries_.assign(setting.keys, kNone);
    for (std::size_t i = 0; i < setting.entry_keys.size(); ++i) {
      if (setting.entry_is_first[i]) first_entries_[static_cast<std::size_t>(setting.entry_keys[i])] = static_cast<Id>(i);
    }
  }

  // The key of an entry, wherever that is.
  Id key_of(Id entry) const { return entry_keys_.empty() ? entry : entry_keys_[static_cast<std::size_t>(entry)]; }

  // A write has put a value: the key's first load, if it is still to come, is of one that is known elsewhere.
  void put(Id entry) {
    if (first_entries_.empty()) return;
    const Id first = first_entries_[static_cast<std::size_t>(key_of(entry))];
    if (first != kNone && entries[first].cause == kFirst) entries[first].cause = kScope;
  }

  // Whether a value of the size would come in.
  bool accepts(const Room& room, Bytes size) const {
    const Bytes bytes = size + room.rules.entry_overhead;
    return bytes <= room.pool->rules.max_bytes && !(room.pool->rules.refuses && room.pool->is_full_for(bytes));
  }

  // Keeps a value that was loaded or written if the rules allow; true if it was kept. The key does not hold a value.
  // `cost` is the time of the load; negative, if there was none.
  [[gnu::always_inline]] bool keep(Room& room, Entry& entry, Id key, Id stretch, Bytes size, Time loaded_at, Time cost, Time now) {
    const Rules& rules = room.rules;
    Tally& tally = *room.tally;
    Pool& pool = *room.pool;
    Time lifetime = rules.absolute;
    if (is_null(stretch)) [[unlikely]] {
      if (!rules.keeps(stretch)) return decline(entry);
      lifetime = rules.null_lifetime;
    }
    const Bytes bytes = size + rules.entry_overhead;
    std::int64_t more_entries = 1;
    Bytes more_bytes = bytes;
    if (pool.is_full_for(bytes)) {
      if (bytes > pool.largest_where_full) [[unlikely]] return refuse(room, entry);
      pool.policy.arriving(key, bytes);
      Entry& victim = entries[pool.policy.evict()];
      pool.bytes += bytes - victim.bytes;
      if (victim.room == entry.room) [[likely]] {
        ++tally.counts[kEvictions];
        more_entries = 0;
        more_bytes -= victim.bytes;
        vacate(room, victim, kEvicted, now);
      } else {
        count_out(victim, now);
      }
      if constexpr (!Policy::keeps_notes) __builtin_prefetch(&entries[entries[pool.policy.any()].before], 1);
      if (pool.bytes > pool.bytes_where_full) [[unlikely]] make_room(pool, bytes, now);
    } else {
      pool.policy.arriving(key, bytes);
      ++pool.entries;
      pool.bytes += bytes;
    }
    if (rules.jitter > 0) [[unlikely]] lifetime -= shortfall(rules, key, stretch);
    entry.ages_at = loaded_at + lifetime;
    entry.loaded_at = loaded_at;
    entry.stretch = stretch;
    rules.use(entry, loaded_at);
    entry.idle_since = now;
    entry.bytes = bytes;
    entry.set(Entry::kHeld);
    ++tally.counts[kStored];
    pool.policy.placed(key, cost, now);
    ledger.hold(tally, more_entries, more_bytes, now);
    return true;
  }

  // An entry goes; `cause` is what its key's next miss will be put down to.
  void leave(Room& room, Entry& entry, Cause cause, Time now) {
    room.pool->policy.left(entries.id(entry));
    --room.pool->entries;
    room.pool->bytes -= entry.bytes;
    vacate(room, entry, cause, now);
    ledger.hold(*room.tally, -1, -entry.bytes, now);
  }

  // The same where a later value of its key comes in.
  [[gnu::noinline]] void supersede(Room& room, Entry& entry, Time now) {
    ++room.tally->counts[kSuperseded];
    leave(room, entry, kRefused, now);
  }

  // All entries of the rooms of which `goes` is true go, and are counted as `count`. The policy of a pool that can hold
  // nothing else begins anew.
  template <class Goes>
  void empty(Goes goes, Cause cause, Count count, Time now) {
    struct Part {
      bool goes = false, stays = false;
    };
    std::vector<Part> parts(pools.size());
    for (const Room& room : rooms) (goes(room) ? parts[place(*room.pool)].goes : parts[place(*room.pool)].stays) = true;
    for (std::size_t i = 0; i < pools.size(); ++i) {
      if (!parts[i].goes || parts[i].stays) continue;
      Pool& pool = pools[i];
      while (pool.entries > 0) lose(entries[pool.policy.any()], cause, count, now);
      ++pool.home.generation;
      pool.policy = Policy(pool.home);
    }
    const bool some_in_part = std::any_of(parts.begin(), parts.end(), [](const Part& part) { return part.goes && part.stays; });
    if (some_in_part) empty_in_part(goes, [](Id) { return true; }, cause, count, now);
  }

  // Those of the rooms of which `goes` and `chosen(entry)` is true go, in the order of keys; no policy begins anew.
  template <class Goes, class Chosen>
  void empty_in_part(Goes goes, Chosen chosen, Cause cause, Count count, Time now) {
    std::vector<Id> going;
    for (Id id = 0; id < entries.keys(); ++id) {
      if (entries[id].held() && goes(rooms[entries[id].room]) && chosen(id)) going.push_back(id);
    }
    std::stable_sort(going.begin(), going.end(), [this](Id a, Id b) { return key_of(a) < key_of(b); });
    for (const Id id : going) lose(entries[id], cause, count, now);
  }

  // The trace is over; its last event was at `now`.
  void close(Time now) {
    for (Pool& pool : pools) {
      for (std::int64_t left = pool.entries; left > 0; --left) {
        const Id id = pool.policy.any();
        ledger.idle(*rooms[entries[id].room].tally, entries[id].bytes, entries[id].idle_since, now);
        pool.policy.left(id);
      }
    }
    ledger.close(now);
  }

  // True if entries, orders and sizes agree: for tests, after every step.
  bool check() const {
    std::vector<Level> found(ledger.tallies().size()), of_pool(pools.size());
    for (Id key = 0; key < entries.keys(); ++key) {
      const Entry& entry = entries[key];
      if (!entry.held()) continue;
      if (entries[entry.before].after != key || entries[entry.after].before != key) return false;
      found[static_cast<std::size_t>(rooms[entry.room].lookup)].change(1, entry.bytes);
      of_pool[place(*rooms[entry.room].pool)].change(1, entry.bytes);
    }
    Level all;
    for (std::size_t i = 0; i < found.size(); ++i) {
      const Tally& tally = ledger.tallies()[i];
      if (tally.held.entries != found[i].entries || tally.held.bytes != found[i].bytes) return false;
      all.change(found[i].entries, found[i].bytes);
    }
    for (const Pool& pool : pools) {
      const Level& shared = of_pool[place(pool)];
      if (pool.entries != shared.entries || pool.bytes != shared.bytes) return false;
      if (pool.entries > pool.rules.max_entries || pool.bytes > pool.rules.max_bytes) return false;
    }
    return all.entries == ledger.held().entries && all.bytes == ledger.held().bytes;
  }

 private:
  // `leave` for one that is out of the order already, without the account of what is held.
  [[gnu::always_inline]] void vacate(Room& room, Entry& entry, Cause cause, Time now) {
    ledger.idle(*room.tally, entry.bytes, entry.idle_since, now);
    entry.vacate(cause, entry.expiry());
  }

  std::size_t place(const Pool& pool) const { return static_cast<std::size_t>(&pool - pools.data()); }


  void lose(Entry& entry, Cause cause, Count count, Time now) {
    Room& room = rooms[entry.room];
    ++room.tally->counts[count];
    leave(room, entry, cause, now);
  }

  // By how much this load's lifetime falls short: drawn by the key and by how many of its values were kept before.
  [[gnu::noinline]] Time shortfall(const Rules& rules, Id entry, Id stretch) {
    const Id key = key_of(entry);
    kept_.resize(keys_);
    const std::uint64_t number = kept_[static_cast<std::size_t>(key)]++;
    return draw_shortfall(key, number, is_null(stretch) ? rules.null_jitter : rules.jitter);
  }

  // An entry that the policy gave up.
  [[gnu::noinline]] void count_out(Entry& victim, Time now) {
    Room& room = rooms[victim.room];
    ++room.tally->counts[kEvictions];
    vacate(room, victim, kEvicted, now);
    ledger.hold(*room.tally, -1, -victim.bytes, now);
  }

  // The value that is coming in is among the pool's already, and one entry has made way for it.
  [[gnu::noinline]] void make_room(Pool& pool, Bytes coming, Time now) {
    const PoolRules& rules = pool.rules;
    const std::int64_t most_entries = rules.trims ? std::min(rules.trim_entries, rules.max_entries - 1) : rules.max_entries - 1;
    const Bytes most_bytes = rules.trims ? std::min(rules.trim_bytes, rules.max_bytes - coming) : rules.max_bytes - coming;
    while (pool.entries > 1 && (pool.entries - 1 > most_entries || pool.bytes - coming > most_bytes)) {
      Entry& victim = entries[pool.policy.evict()];
      --pool.entries;
      pool.bytes -= victim.bytes;
      count_out(victim, now);
    }
  }

  [[gnu::noinline]] static bool decline(Entry& entry) {
    if (!entry.held()) entry.miss_out(kNull);
    return false;
  }

  [[gnu::noinline]] static bool refuse(Room& room, Entry& entry) {
    ++room.tally->counts[kRefusals];
    entry.miss_out(kRefused);
    return false;
  }

  std::span<const Id> entry_keys_;
  std::vector<Id> first_entries_;  // by key: which one is loaded first, where writes put values on nodes
  std::size_t keys_;
  std::vector<std::uint32_t> kept_;  // values of each key, where lifetimes vary
};

}  // namespace vestigo
