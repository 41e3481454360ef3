// vestigo/full/holdings.hpp: what is held: how a value comes in if the rules allow, how long it
// stays, and how it leaves.
#pragma once

#include <algorithm>
#include <vector>

#include "../ledger.hpp"
#include "../meaning.hpp"
#include "../witness/witness.hpp"
#include "agenda.hpp"
#include "compartments.hpp"
#include "failures.hpp"
#include "keys.hpp"
#include "loads.hpp"

namespace vestigo::full {

template <class Seen>
class Holdings {
 public:
  const Setting setting;
  Ledger ledger;
  Keys keys;
  Compartments here;
  Agenda agenda;
  Failures failures;
  [[no_unique_address]] Seen witness;

  Holdings(Setting asked, Slices slices)
      : setting(std::move(asked)),
        ledger(setting.lookups, std::move(slices)),
        keys(setting),
        here(setting),
        agenda(setting.clears, here.slots) {
    has_keys_.resize(setting.groups.size());
    for (const Id group : setting.entry_groups) has_keys_[index(group)] = true;
  }

  // A slot knows its group, but an entry of a scope is in no slot yet.
  const GroupRules& group_of(Id entry) const {
    return here.has_scopes ? setting.groups[index(setting.entry_groups[index(entry)])]
                           : group_at(entry);
  }
  Id group_number(Id slot) const { return here.slots[index(slot)].group; }
  const GroupRules& group_at(Id slot) const { return setting.groups[index(group_number(slot))]; }

  // The owner of a slot.
  Who who(Id slot) const {
    const Slot& own = here.slots[index(slot)];
    return {slot, own.key, here.all[index(own.compartment)].number - 1, keys.logged(own.key)};
  }

  // Of slots that are collected at the same moment, the lower one comes first.
  std::int64_t rank(Id slot) const {
    const Slot& own = here.slots[index(slot)];
    const Id number = here.all[index(own.compartment)].number;
    return std::int64_t{own.key} << 29 | std::min(number, (Id{1} << 29) - 1);
  }

  // The memory that an event of the entry will touch: where to look for it, and later, what is
  // there.
  [[gnu::always_inline]] void fetch_places(Id entry) const {
    if (here.has_scopes) __builtin_prefetch(&setting.entry_groups[index(entry)]);
    if (!setting.entry_keys.empty()) __builtin_prefetch(&setting.entry_keys[index(entry)]);
  }
  [[gnu::always_inline]] void fetch(Id entry) const {
    keys.fetch(here.key_of(entry));
    witness.fetch(here.key_of(entry));
    if (!here.has_scopes || setting.per[index(group_of(entry).pool)] != Per::scope)
      here.fetch(entry);
  }

  Tally& tally(const GroupRules& group) { return ledger.tally(index(group.lookup)); }

  // When the trace begins. The steps of `collect = every` count from there.
  void begin(Time now) { start_ = now; }

  // Keeps a value that was loaded or written if the rules allow; true if it was kept.
  bool store(const GroupRules& group, const Load& load, Time now, Came came = Came::loaded) {
    Entry& entry = here.entries[load.slot];
    Slot& slot = here.slot_at(load.slot);
    Compartment& one = here.at(slot.compartment);
    const bool null = is_null(load.stretch);
    if (group.keep_failures > 0) failures.forget(load.slot);
    if (!group.keeps(load.stretch)) {
      witness.declined(who(load.slot), now);
      if (!entry.held()) entry.miss_out(kNull);
      return false;
    }
    if (entry.held()) leave(group, load.slot, kRefused, kSuperseded, now);
    const Bytes bytes = load.size + group.entry_overhead;
    if (!group.passes || !passes(group, load.size, load.cost) || !accepts(one, bytes)) {
      ++tally(group).counts[kRefusals];
      witness.refused(who(load.slot), now);
      entry.miss_out(kRefused);
      return false;
    }
    make_room(one, load.slot, bytes, group.pinned, now);
    const Time begins = lives_from(group, load.loaded_at, now);
    entry.ages_at = begins + lifetime(group, slot, null);
    slot.fixed_at = first_after(group.expires_at, begins);
    slot.reload_at =
        group.reload_to == 0 ? kNever : begins + share_of(entry.ages_at - begins, group);
    entry.loaded_at = load.loaded_at;
    entry.stretch = load.stretch;
    keys.load(slot.key);
    use(group, load.slot, begins);
    entry.idle_since = now;
    entry.bytes = bytes;
    entry.set(Entry::kHeld);
    here.enter(one, load.slot);
    ++one.entries;
    one.bytes += bytes;
    if (group.pinned) {
      ++one.pinned_entries;
      one.pinned_bytes += bytes;
    } else {
      one.policy->placed(load.slot, came == Came::loaded ? load.cost : kNotLoaded, now);
    }
    ++tally(group).counts[kStored];
    ledger.hold(tally(group), 1, bytes, now);
    witness.kept(who(load.slot), entry, came, now);
    watch(group, load.slot, now);
    return true;
  }

  // The sliding lifetime begins anew.
  void use(const GroupRules& group, Id id, Time now) {
    Slot& slot = here.slot_at(id);
    slot.used_at = now;
    here.entries[id].dies_at =
        std::min({here.entries[id].ages_at, now + group.sliding, slot.fixed_at});
  }

  // Which lifetime ended first.
  Cause first_expiry(const GroupRules& group, Id slot) {
    const Entry& entry = here.entries[slot];
    return expiry(entry.dies_at, entry.ages_at, here.slot_at(slot).used_at + group.sliding);
  }

  // Removes an entry, and counts that. `cause` is the cause of its key's next miss.
  void leave(const GroupRules& group, Id slot, Cause cause, Count count, Time now) {
    if (!group.pinned) here.at(here.slot_at(slot).compartment).policy->left(slot);
    vacate(group, slot, cause, count, now);
  }

  // A watched slot is due. Its entry goes, unless it was used since.
  void collect(Id slot, Time now) {
    const GroupRules& group = group_at(slot);
    if (collected_at(group, here.entries[slot], now) > now) return watch(group, slot, now);
    leave(group, slot, first_expiry(group, slot), kExpirations, now);
  }

  // Removes all entries of the groups for which `goes` is true. A compartment that can hold nothing
  // else begins anew.
  template <class Goes>
  void empty(Goes goes, Id node, Cause cause, Count count, Time now) {
    for (std::size_t pool = 0; pool < setting.pools.size(); ++pool) {
      bool some = false, whole = true;
      for (std::size_t group = 0; group < setting.groups.size(); ++group) {
        if (index(setting.groups[group].pool) != pool || !has_keys_[group]) continue;
        const bool going = goes(static_cast<Id>(group));
        some |= going;
        whole &= going;
      }
      if (!some) continue;
      here.each(pool, node, [&](Id compartment) {
        Compartment& one = here.at(compartment);
        for (const Id slot : here.held(one, [&](Id id) { return goes(group_number(id)); }))
          leave(group_at(slot), slot, cause, count, now);
        if (whole) here.renew(one);
      });
    }
  }

  // Removes entries that are cleared and not spared. No compartment begins anew.
  template <class Goes, class Spared>
  void empty_but(Goes goes, Spared spared, Id node, Time now) {
    for (std::size_t pool = 0; pool < setting.pools.size(); ++pool) {
      here.each(pool, node, [&](Id compartment) {
        for (const Id slot : here.held(here.at(compartment), [&](Id id) {
               return goes(group_number(id)) && !spared(id);
             }))
          leave(group_at(slot), slot, kCleared, kClears, now);
      });
    }
  }

  // Removes everything that a compartment holds.
  void free(Id compartment, Time now) {
    const Compartment& one = here.at(compartment);
    while (!one.held.empty()) leave(group_at(one.held.back()), one.held.back(), kFirst, kLost, now);
  }

  // The warm-up is over: what is counted so far is forgotten, what is held stays.
  void count_from(Time now) {
    ledger.count_from(now);
    if constexpr (Seen::sees) {
      witness.count_from(now);
      for (const Compartment& one : here.all) {
        for (const Id slot : one.held) witness.is_held(who(slot), here.entries[slot], now);
      }
    }
  }

  // The trace is over; its last event was at `now`.
  void close(Time now) {
    for (const Compartment& one : here.all) {
      for (const Id slot : one.held) {
        const Entry& entry = here.entries[slot];
        ledger.idle(tally(group_at(slot)), entry.bytes, entry.idle_since, now);
        if constexpr (Seen::sees) witness.stays(who(slot), entry, now);
      }
    }
    ledger.close(now);
  }

  // True if entries, compartments and sizes agree: for tests, after every step.
  bool check();

 private:
  Time lifetime(const GroupRules& group, Slot& slot, bool null) {
    const Time longest = longest_lifetime(group, null);
    if (!lifetimes_vary(group)) return longest;
    return longest -
           shortfall(group, null, slot.key, here.at(slot.compartment).number, slot.kept++);
  }

  static Time first_after(const std::vector<Time>& moments, Time at) {
    const auto found = std::upper_bound(moments.begin(), moments.end(), at);
    return found == moments.end() ? INT64_MAX : *found;
  }

  // Whether the value fits beside pinned entries, or beside all entries if nothing may be evicted.
  bool accepts(const Compartment& one, Bytes bytes) const {
    const PoolRules& limits = setting.pools[index(one.pool)];
    if (one.pinned_entries >= limits.max_entries || one.pinned_bytes + bytes > limits.max_bytes)
      return false;
    return !(limits.refuses && is_full_for(limits, one.entries, one.bytes, bytes));
  }

  // A policy hears nothing of pinned entries.
  void make_room(Compartment& one, Id slot, Bytes bytes, bool pinned, Time now) {
    const PoolRules& limits = setting.pools[index(one.pool)];
    witness.coming(who(slot));
    if (!pinned) one.policy->arriving(slot, bytes);
    const bool frees = limits.frees && is_full_for(limits, one.entries, one.bytes, bytes);
    while (one.entries > one.pinned_entries &&
           makes_way(limits, frees, one.entries, one.bytes, bytes)) {
      const Id victim = one.policy->evict();
      vacate(group_at(victim), victim, kEvicted, kEvictions, now);
      if (one.entries > one.pinned_entries) here.fetch_victim(one);
    }
  }

  // `leave` for an entry that its policy has already given up.
  void vacate(const GroupRules& group, Id id, Cause cause, Count count, Time now) {
    Entry& entry = here.entries[id];
    Compartment& one = here.at(here.slot_at(id).compartment);
    Tally& own = tally(group);
    witness.left(who(id), entry, cause, count, now);
    here.exit(one, id);
    if (group.collect != Collect::touch) agenda.watches.give_up(id);
    --one.entries;
    one.bytes -= entry.bytes;
    if (group.pinned) {
      --one.pinned_entries;
      one.pinned_bytes -= entry.bytes;
    }
    ++own.counts[count];
    ledger.idle(own, entry.bytes, entry.idle_since, now);
    ledger.hold(own, -1, -entry.bytes, now);
    entry.vacate(cause, first_expiry(group, id));
  }

  // When an untouched entry goes, if the rules collect entries that have expired and are no longer
  // served.
  Time collected_at(const GroupRules& group, const Entry& entry, Time now) const {
    const Time served =
        group.hides(entry.stretch) ? 0 : std::max(group.serve_stale, group.serve_on_failure);
    if (entry.dies_at > kLatest - served) return kNever;
    const Time at = std::max(entry.dies_at + served, now);
    if (group.collect == Collect::prompt) return at;
    return start_ +
           (at - start_ + group.collect_every - 1) / group.collect_every * group.collect_every;
  }

  void watch(const GroupRules& group, Id slot, Time now) {
    if (group.collect == Collect::touch) return;
    const Time at = collected_at(group, here.entries[slot], now);
    if (at > kLatest) return;
    const Slot& own = here.slot_at(slot);
    agenda.watches.add(at, own.key, here.at(own.compartment).number, slot);
  }

  Time start_ = 0;
  std::vector<bool> has_keys_;  // by group
};

template <class Seen>
bool Holdings<Seen>::check() {
  std::vector<Level> found(setting.lookups);
  for (const Compartment& one : here.all) {
    if (!one.policy) continue;
    const PoolRules& limits = setting.pools[index(one.pool)];
    Level all, pinned;
    for (const Id& id : one.held) {
      const Entry& entry = here.entries[id];
      const GroupRules& group = group_at(id);
      if (!entry.held() || here.slot_at(id).compartment != static_cast<Id>(&one - here.all.data()))
        return false;
      if (here.slot_at(id).place != static_cast<Id>(&id - one.held.data())) return false;
      all.change(1, entry.bytes);
      if (group.pinned) pinned.change(1, entry.bytes);
      found[index(group.lookup)].change(1, entry.bytes);
    }
    if (all.entries != one.entries || all.bytes != one.bytes ||
        pinned.entries != one.pinned_entries || pinned.bytes != one.pinned_bytes)
      return false;
    if (one.entries > limits.max_entries || one.bytes > limits.max_bytes) return false;
  }
  for (std::size_t lookup = 0; lookup < found.size(); ++lookup) {
    const Level& held = ledger.tallies()[lookup].held;
    if (held.entries != found[lookup].entries || held.bytes != found[lookup].bytes) return false;
  }
  return true;
}

}  // namespace vestigo::full
