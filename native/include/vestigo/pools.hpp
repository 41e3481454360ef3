// vestigo/pools.hpp: what the look-ups hold: how entries come in if the rules allow, which are
// evicted for them, and how they leave.
#pragma once

#include <algorithm>
#include <span>
#include <utility>
#include <vector>

#include "entries.hpp"
#include "ledger.hpp"
#include "meaning.hpp"
#include "policy/room.hpp"
#include "setting.hpp"
#include "siblings.hpp"
#include "witness/witness.hpp"

namespace vestigo {

// The rules of a group that look at single values and loads, and what follows from them.
struct OfValues : ValueRules {
  Time rest = 0, null_rest = 0;  // how long before a lifetime ends a hit reloads the entry

  OfValues(const ValueRules& own, const Rules& rules) : ValueRules(own) {
    if (reload_to == 0) return;
    rest = rules.absolute - share_of(rules.absolute, own);
    null_rest = rules.null_lifetime - share_of(rules.null_lifetime, own);
  }

  // Whether a hit on an entry that did not expire reloads it. All lifetimes of its group are the
  // same.
  bool reloads(const Entry& entry, Time now) const {
    return reload_to != 0 && now >= entry.ages_at - (is_null(entry.stretch) ? null_rest : rest);
  }
};

// `by_value`: whether some rules look at single values and loads. `Seen`: the witness of single
// reads and keys, if there is one.
template <class Policy, bool by_value, class Seen = NoWitness>
struct Pools {
  struct Pool {
    PoolRules rules;
    policy::Room room;
    Policy policy;
    std::int64_t entries = 0;
    Bytes bytes = 0;

    Bytes largest_where_full, bytes_where_full;  // more than this does not fit; more than this must
                                                 // not stay after trimming

    Pool(const PoolRules& own, const policy::Room& place)
        : rules(own),
          room(place),
          policy(room),
          largest_where_full(own.refuses ? -1 : own.max_bytes),
          bytes_where_full(own.frees ? -1 : own.max_bytes) {}

    bool is_full_for(Bytes more) const { return vestigo::is_full_for(rules, entries, bytes, more); }
  };

  // Its size is a power of two, so finding one takes no multiplication.
  struct alignas(128) Group {
    Pool* pool;
    Tally* tally;
    Rules rules;
    Id lookup;
    Id node;
    bool is_of_node;

    // Whether a clear or a restart empties it, which may name a node or none.
    bool is_on(Id named) const { return named == kNone || !is_of_node || named == node; }
  };

  Entries entries;
  policy::Notes notes;
  std::vector<Pool> pools;  // its size is fixed, because groups and policies point into it
  std::vector<Group> groups;
  Ledger ledger;
  std::vector<OfValues> value_rules;  // by group
  [[no_unique_address]] Seen witness;

  Pools(const PlainSetting& setting, Slices slices)
      : entries(setting.entry_groups, setting.entry_is_first,
                setting.pools.size() * policy::kSentinels),
        notes(setting.pools, setting.entry_groups.size(),
              setting.pools.size() * policy::kSentinels),
        ledger(setting.lookups, !by_value, std::move(slices)),
        entry_keys_(setting.entry_keys) {
    const auto keys = static_cast<Id>(setting.entry_groups.size());
    pools.reserve(setting.pools.size());
    for (const PoolRules& rules : setting.pools) {
      const Id sentinels = keys + static_cast<Id>(pools.size()) * policy::kSentinels;
      pools.emplace_back(rules, policy::Room(rules, entries.data(), notes, sentinels));
    }
    for (std::size_t i = 0; i < setting.group_lookups.size(); ++i) {
      const auto lookup = index(setting.group_lookups[i]);
      groups.push_back({&pools[index(setting.group_pools[i])], &ledger.tally(lookup),
                        setting.lookups[lookup], setting.group_lookups[i], setting.group_nodes[i],
                        setting.group_is_of_node[i] != 0});
      if constexpr (by_value)
        value_rules.emplace_back(setting.value_rules[lookup], setting.lookups[lookup]);
    }
    const auto tells = [&](Id entry) {
      return groups[entries[entry].group].rules.tell_nodes != TellNodes::nothing;
    };
    if (std::any_of(setting.lookups.begin(), setting.lookups.end(),
                    [](const Rules& rules) { return rules.tell_nodes != TellNodes::nothing; }))
      siblings_ = Siblings(setting.entry_keys, setting.keys, tells);
    const bool puts =
        std::any_of(setting.lookups.begin(), setting.lookups.end(),
                    [](const Rules& rules) { return rules.on_write == OnWrite::replace; });
    if (!puts || setting.entry_is_first.empty()) return;
    first_entries_.assign(setting.keys, kNone);
    for (std::size_t i = 0; i < setting.entry_keys.size(); ++i) {
      if (setting.entry_is_first[i])
        first_entries_[index(setting.entry_keys[i])] = static_cast<Id>(i);
    }
  }

  // Which lifetime of an entry ends first.
  static Cause expiry_of(const Entry& entry) {
    return expiry(entry.dies_at, entry.ages_at, entry.dies_at);
  }

  // The key of an entry, on whichever node.
  Id key_of(Id entry) const { return entry_keys_.empty() ? entry : entry_keys_[index(entry)]; }

  // The entries of a written key that hear of it: on the other nodes, or, if it was written on none
  // that has a cache, on all.
  const std::vector<Id>& hearing(Id entry, bool came_from_none) {
    return siblings_.of(entry, came_from_none,
                        [this](Id id) { return groups[entries[id].group].node; });
  }

  // An entry's row in the counts by key is its own number. The entries' keys and nodes say whose
  // row it is.
  static Who who(const Entry& entry, Id id) { return {id, id, kNone, entry.logged}; }
  Who who(const Entry& entry) const { return who(entry, entries.id(entry)); }

  // The entries whose log is wanted.
  void log(std::span<const Id> chosen) {
    for (const Id entry : chosen) entries[entry].logged = true;
  }

  // A write has stored a value. If the first load of the key is still to come, the key counts as
  // known elsewhere.
  void put(Id entry) {
    if (first_entries_.empty()) return;
    const Id first = first_entries_[index(key_of(entry))];
    if (first != kNone && entries[first].cause == kFirst) entries[first].cause = kKnownElsewhere;
  }

  // Whether the conditions on size and cost hold.
  bool passes([[maybe_unused]] const Entry& entry, [[maybe_unused]] Bytes size,
              [[maybe_unused]] Time cost) const {
    if constexpr (by_value) return vestigo::passes(value_rules[entry.group], size, cost);
    return true;
  }

  // Whether a value would come in.
  bool accepts(const Group& group, const Entry& entry, Bytes size, Time cost) const {
    const Bytes bytes = size + group.rules.entry_overhead;
    return passes(entry, size, cost) && bytes <= group.pool->rules.max_bytes &&
           !(group.pool->rules.refuses && group.pool->is_full_for(bytes));
  }

  // Keeps a loaded or written value if the rules allow, and returns whether it did. The key does
  // not hold a value. `cost` is the time that the load took.
  [[gnu::always_inline]] bool keep(Group& group, Entry& entry, Id key, Id stretch, Bytes size,
                                   Time loaded_at, Time cost, Time now, bool written = false) {
    const Rules& rules = group.rules;
    Tally& tally = *group.tally;
    Pool& pool = *group.pool;
    Time lifetime = longest_lifetime(rules, false);
    if (is_null(stretch)) [[unlikely]] {
      if (!rules.keeps(stretch)) return decline(entry, now);
      lifetime = longest_lifetime(rules, true);
    }
    if (by_value && !passes(entry, size, cost)) return refuse(group, entry, now);
    const Bytes bytes = size + rules.entry_overhead;
    std::int64_t more_entries = 1;
    Bytes more_bytes = bytes;
    if (pool.is_full_for(bytes)) {
      if (bytes > pool.largest_where_full) [[unlikely]]
        return refuse(group, entry, now);
      witness.coming(who(entry, key));
      pool.policy.arriving(key, bytes);
      Entry& victim = entries[pool.policy.evict()];
      pool.bytes += bytes - victim.bytes;
      if (victim.group == entry.group) [[likely]] {
        ++tally.counts[kEvictions];
        more_entries = 0;
        more_bytes -= victim.bytes;
        vacate(group, victim, kEvicted, kEvictions, now);
      } else {
        count_out(victim, now);
      }
      if constexpr (!Policy::keeps_notes)
        __builtin_prefetch(&entries[entries[pool.policy.any()].before], 1);
      if (pool.bytes > pool.bytes_where_full) [[unlikely]]
        make_room(pool, bytes, now);
    } else {
      pool.policy.arriving(key, bytes);
      ++pool.entries;
      pool.bytes += bytes;
    }
    if (lifetimes_vary(rules)) [[unlikely]]
      lifetime -= own_shortfall(group, key, stretch);
    const Time begins = lives_from(rules, loaded_at, now);
    entry.ages_at = begins + lifetime;
    entry.loaded_at = loaded_at;
    entry.stretch = stretch;
    rules.use(entry, begins);
    entry.idle_since = now;
    entry.bytes = bytes;
    entry.set(Entry::kHeld);
    ++tally.counts[kStored];
    pool.policy.placed(key, written ? kNotLoaded : cost, now);
    ledger.hold(tally, more_entries, more_bytes, now);
    witness.kept(who(entry, key), entry, written ? Came::written : Came::loaded, now);
    return true;
  }

  // Removes an entry, and counts that. `cause` is the cause of its key's next miss.
  void leave(Group& group, Entry& entry, Cause cause, Count count, Time now) {
    ++group.tally->counts[count];
    group.pool->policy.left(entries.id(entry));
    --group.pool->entries;
    group.pool->bytes -= entry.bytes;
    vacate(group, entry, cause, count, now);
    ledger.hold(*group.tally, -1, -entry.bytes, now);
  }

  // The same, because a later value of its key comes in.
  [[gnu::noinline]] void supersede(Group& group, Entry& entry, Time now) {
    leave(group, entry, kRefused, kSuperseded, now);
  }

  // Removes all entries of the groups for which `goes` is true, and counts them as `count`. The
  // policy of a pool that can hold nothing else begins anew.
  template <class Goes>
  void empty(Goes goes, Cause cause, Count count, Time now) {
    struct Part {
      bool goes = false, stays = false;
    };
    std::vector<Part> parts(pools.size());
    for (const Group& group : groups)
      (goes(group) ? parts[place(*group.pool)].goes : parts[place(*group.pool)].stays) = true;
    for (std::size_t i = 0; i < pools.size(); ++i) {
      if (!parts[i].goes || parts[i].stays) continue;
      Pool& pool = pools[i];
      while (pool.entries > 0) lose(entries[pool.policy.any()], cause, count, now);
      ++pool.room.generation;
      pool.policy = Policy(pool.room);
    }
    const bool some_in_part = std::any_of(parts.begin(), parts.end(),
                                          [](const Part& part) { return part.goes && part.stays; });
    if (some_in_part) empty_in_part(goes, [](Id) { return true; }, cause, count, now);
  }

  // Removes entries of the groups for which `goes` is true, if `chosen(entry)` is true, in the
  // order of keys. No policy begins anew.
  template <class Goes, class Chosen>
  void empty_in_part(Goes goes, Chosen chosen, Cause cause, Count count, Time now) {
    std::vector<Id> going;
    for (Id id = 0; id < entries.keys(); ++id) {
      if (entries[id].held() && goes(groups[entries[id].group]) && chosen(id)) going.push_back(id);
    }
    std::stable_sort(going.begin(), going.end(),
                     [this](Id a, Id b) { return key_of(a) < key_of(b); });
    for (const Id id : going) lose(entries[id], cause, count, now);
  }

  // The warm-up is over. Forgets what was counted, and keeps what is held.
  void count_from(Time now) {
    ledger.count_from(now);
    if constexpr (Seen::sees) {
      witness.count_from(now);
      for (Id id = 0; id < entries.keys(); ++id) {
        if (entries[id].held()) witness.is_held(who(entries[id], id), entries[id], now);
      }
    }
  }

  // The trace is over; its last event was at `now`.
  void close(Time now) {
    for (Pool& pool : pools) {
      for (std::int64_t left = pool.entries; left > 0; --left) {
        const Id id = pool.policy.any();
        if constexpr (Seen::sees) witness.stays(who(entries[id], id), entries[id], now);
        ledger.idle(*groups[entries[id].group].tally, entries[id].bytes, entries[id].idle_since,
                    now);
        pool.policy.left(id);
      }
    }
    ledger.close(now);
  }

  // Whether entries, orders and sizes agree. Tests call it after every step.
  bool check() const {
    std::vector<Level> found(ledger.tallies().size()), of_pool(pools.size());
    for (Id key = 0; key < entries.keys(); ++key) {
      const Entry& entry = entries[key];
      if (!entry.held()) continue;
      if (entries[entry.before].after != key || entries[entry.after].before != key) return false;
      found[index(groups[entry.group].lookup)].change(1, entry.bytes);
      of_pool[place(*groups[entry.group].pool)].change(1, entry.bytes);
    }
    Level all;
    for (std::size_t i = 0; i < found.size(); ++i) {
      const Tally& tally = ledger.tallies()[i];
      if (tally.held.entries != found[i].entries || tally.held.bytes != found[i].bytes)
        return false;
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
  // `leave` for an entry that has already left the policy's order, without changing the account of
  // what is held.
  [[gnu::always_inline]] void vacate(Group& group, Entry& entry, Cause cause, Count count,
                                     Time now) {
    witness.left(who(entry), entry, cause, count, now);
    ledger.idle(*group.tally, entry.bytes, entry.idle_since, now);
    entry.vacate(cause, expiry_of(entry));
  }

  std::size_t place(const Pool& pool) const {
    return static_cast<std::size_t>(&pool - pools.data());
  }

  void lose(Entry& entry, Cause cause, Count count, Time now) {
    leave(groups[entry.group], entry, cause, count, now);
  }

  [[gnu::noinline]] Time own_shortfall(const Group& group, Id entry, Id stretch) {
    kept_.resize(static_cast<std::size_t>(entries.keys()));
    return shortfall(group.rules, is_null(stretch), key_of(entry), group.node + 1,
                     kept_[index(entry)]++);
  }

  // An entry that the policy gave up leaves.
  [[gnu::noinline]] void count_out(Entry& victim, Time now) {
    Group& group = groups[victim.group];
    ++group.tally->counts[kEvictions];
    vacate(group, victim, kEvicted, kEvictions, now);
    ledger.hold(*group.tally, -1, -victim.bytes, now);
  }

  // The incoming value is already counted in the pool, and one entry was evicted for it.
  [[gnu::noinline]] void make_room(Pool& pool, Bytes coming, Time now) {
    const PoolRules& limits = pool.rules;
    while (pool.entries > 1 &&
           makes_way(limits, limits.frees, pool.entries - 1, pool.bytes - coming, coming)) {
      Entry& victim = entries[pool.policy.evict()];
      --pool.entries;
      pool.bytes -= victim.bytes;
      count_out(victim, now);
    }
  }

  [[gnu::noinline]] bool decline(Entry& entry, Time now) {
    witness.declined(who(entry), now);
    if (!entry.held()) entry.miss_out(kNull);
    return false;
  }

  [[gnu::noinline]] bool refuse(Group& group, Entry& entry, Time now) {
    witness.refused(who(entry), now);
    ++group.tally->counts[kRefusals];
    entry.miss_out(kRefused);
    return false;
  }

  std::span<const Id> entry_keys_;
  Siblings siblings_;              // if some nodes tell each other of writes
  std::vector<Id> first_entries_;  // for each key, the entry that is loaded first, where writes
                                   // store values on nodes
  std::vector<std::uint32_t>
      kept_;  // how many values of each entry were kept, where lifetimes vary
};

}  // namespace vestigo
