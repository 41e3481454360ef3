// vestigo/full/compartments.hpp: what is held where. A compartment is a pool of the plan for one
// process, node or scope. A slot is a key in a compartment.
//
// The first slots are the entries of keys, or of keys on nodes. Then come the slots of scopes under
// way, which are used again when their scope is over.
#pragma once

#include <algorithm>
#include <iterator>
#include <optional>
#include <stdexcept>
#include <vector>

#include "../entries.hpp"
#include "../id_map.hpp"
#include "../policy/any.hpp"
#include "../siblings.hpp"
#include "setting.hpp"

namespace vestigo::full {

struct alignas(64) Slot {
  Id key = kNone;
  Id group = 0;
  Id compartment = kNone;
  Id place = kNone;    // its place among what the compartment holds
  Id sibling = kNone;  // the next slot of the same scope
  Id first_load = kNone,
     last_load = kNone;     // the loads under way, in the order in which they began
  std::uint32_t kept = 0;   // how many of its values were kept, where lifetimes vary
  std::uint32_t watch = 0;  // odd while it is watched, and different each time (see watches.hpp)
  Time used_at = 0;
  Time fixed_at = kNever;   // the first fixed time after the load
  Time reload_at = kNever;  // from here on a hit reloads
};

struct Compartment {
  Id pool = kNone;
  Id number = 0;  // the number of the node or scope among its kind
  std::optional<policy::Room> room;
  std::optional<policy::Any> policy;
  std::int64_t entries = 0, pinned_entries = 0;
  Bytes bytes = 0, pinned_bytes = 0;
  std::vector<Id> held;   // the slots that it holds, in no order
  Id first_slot = kNone;  // of a scope
};

class Compartments {
 public:
  Entries entries;
  LargeVector<Slot> slots;
  std::vector<Compartment> all;
  const bool has_scopes;  // some pools have a compartment for each scope

  explicit Compartments(const Setting& setting)
      : entries(count_slots(setting) + policy::kSentinels * count_compartments(setting)),
        slots(count_slots(setting)),
        all(count_compartments(setting)),
        has_scopes(has(setting, Per::scope)),
        setting_(setting),
        notes_(setting.pools, slots.size(), policy::kSentinels * all.size()),
        nodes_(setting.nodes + 1) {
    const auto announced = setting.entry_groups.size();
    for (std::size_t slot = slots.size(); slot > announced; --slot)
      free_slots_.push_back(static_cast<Id>(slot - 1));
    Id next = 0;
    for (std::size_t pool = 0; pool < setting.pools.size(); ++pool) {
      first_.push_back(next);
      const Per per = setting.per[pool];
      if (per == Per::all) open(next++, pool, 0);
      for (std::size_t node = 0; per == Per::node && node < nodes_; ++node, ++next) {
        if (node > 0 || setting.unnamed_node) open(next, pool, static_cast<Id>(node));
      }
    }
    for (auto id = static_cast<Id>(all.size()); id > next; --id) free_.push_back(id - 1);
    of_scope_.resize(setting.pools.size());
    for (std::size_t entry = 0; entry < announced; ++entry)
      settle(static_cast<Id>(entry), setting.entry_groups[entry]);
    const auto tells = [](const GroupRules& group) {
      return group.tell_nodes != TellNodes::nothing;
    };
    if (std::any_of(setting.groups.begin(), setting.groups.end(), tells))
      siblings_ = Siblings(setting.entry_keys, setting.keys, [&](Id entry) {
        return tells(setting.groups[index(setting.entry_groups[index(entry)])]);
      });
  }

  // The compartment of a pool that a row is about. There is none if the row names no node and
  // readers always do.
  Id of(Id pool, Id node, Id scope) {
    const auto place = index(pool);
    switch (setting_.per[place]) {
      case Per::all: return first_[place];
      case Per::node: return node >= 0 || setting_.unnamed_node ? first_[place] + node + 1 : kNone;
      default: return of_scope(place, scope + 1);
    }
  }

  Id key_of(Id entry) const {
    return setting_.entry_keys.empty() ? entry : setting_.entry_keys[index(entry)];
  }

  // The slot of an entry in its compartment. In a scope it may be a new one.
  Id slot(Id entry, Id compartment) {
    return setting_.per[index(at(compartment).pool)] == Per::scope ? scope_slot(entry, compartment)
                                                                   : entry;
  }

  // The slots of a written key that hear of it: on the other nodes, or, if it was written on none
  // that has a cache, on all. There may be one for rows without a node, where nothing is held.
  const std::vector<Id>& hearing(Id entry, bool came_from_none) {
    return siblings_.of(entry, came_from_none,
                        [this](Id slot) { return slot_at(slot).compartment; });
  }

  [[gnu::always_inline]] void fetch(Id slot) const {
    __builtin_prefetch(&entries[slot], 1);
    __builtin_prefetch(&slots[index(slot)], 1);
  }
  // The entry that will be evicted after the next one, if the policy has an order.
  [[gnu::always_inline]] void fetch_victim(Compartment& one) const {
    const Id later = entries[one.policy->any()].before;
    if (later < static_cast<Id>(slots.size())) fetch(later);
  }

  Compartment& at(Id compartment) { return all[index(compartment)]; }
  Slot& slot_at(Id slot) { return slots[index(slot)]; }

  // Calls `visit(compartment)` for each compartment of a pool. If a node is named and each has its
  // own cache, only for this node.
  template <class Visit>
  void each(std::size_t pool, Id node, Visit visit) {
    const bool one_node = setting_.per[pool] == Per::node && node >= 0;
    if (setting_.per[pool] == Per::scope) {
      return of_scope_[pool].each([&](Id, Id id) { visit(id); });
    }
    const std::size_t count = setting_.per[pool] == Per::node ? nodes_ : 1;
    for (std::size_t i = 0; i < count; ++i) {
      const Id id = first_[pool] + static_cast<Id>(i);
      if (at(id).policy && (!one_node || static_cast<Id>(i) == node + 1)) visit(id);
    }
  }

  // Calls `visit(compartment)` for each compartment of a scope that is over. After this the scope
  // is gone.
  template <class Visit>
  void close_scope(Id scope, Visit visit) {
    for (std::size_t pool = 0; pool < of_scope_.size(); ++pool) {
      const Id id = of_scope_[pool].find(scope + 1);
      if (id == kNone) continue;
      visit(id);
      of_scope_[pool].erase(scope + 1);
      Compartment& over = at(id);
      for (Id slot = over.first_slot, next; slot != kNone; slot = next) {
        next = slot_at(slot).sibling;
        slot_of_.erase(pair(slot_at(slot).key, id));
        slot_at(slot) = {.watch = slot_at(slot).watch};
        entries[slot].miss_out(kFirst);
        free_slots_.push_back(slot);
      }
      over.policy.reset();
      over.first_slot = kNone;
      free_.push_back(id);
    }
  }

  // A compartment that was emptied begins anew.
  void renew(Compartment& one) {
    one.room->generation = ++generations_;
    one.policy.emplace(*one.room);
  }

  // The held slots for which `chosen(slot)` is true, in the order of keys.
  template <class Chosen>
  std::vector<Id> held(const Compartment& one, Chosen chosen) const {
    std::vector<Id> found;
    std::copy_if(one.held.begin(), one.held.end(), std::back_inserter(found), chosen);
    std::sort(found.begin(), found.end(),
              [this](Id a, Id b) { return slots[index(a)].key < slots[index(b)].key; });
    return found;
  }

  void enter(Compartment& one, Id slot) {
    slot_at(slot).place = static_cast<Id>(one.held.size());
    one.held.push_back(slot);
  }
  void exit(Compartment& one, Id slot) {
    const Id last = one.held.back(), place = slot_at(slot).place;
    one.held[index(place)] = last;
    slot_at(last).place = place;
    one.held.pop_back();
  }

  static std::size_t count_slots(const Setting& setting) {
    return setting.entry_groups.size() + (has(setting, Per::scope) ? setting.scope_slots : 0);
  }
  static std::size_t count_compartments(const Setting& setting) {
    std::size_t count = 0;
    for (const Per per : setting.per)
      count += per == Per::all ? 1 : per == Per::node ? setting.nodes + 1 : setting.scopes_at_once;
    return count;
  }

 private:
  static bool has(const Setting& setting, Per per) {
    return std::find(setting.per.begin(), setting.per.end(), per) != setting.per.end();
  }
  static std::uint64_t pair(Id key, Id compartment) {
    return static_cast<std::uint64_t>(key) << 32 | static_cast<std::uint32_t>(compartment);
  }

  void open(Id id, std::size_t pool, Id number) {
    Compartment& one = at(id);
    one.pool = static_cast<Id>(pool);
    one.number = number;
    one.entries = one.pinned_entries = one.bytes = one.pinned_bytes = 0;
    one.room.emplace(setting_.pools[pool], entries.data(), notes_,
                     static_cast<Id>(slots.size()) + id * policy::kSentinels);
    renew(one);
  }

  Id of_scope(std::size_t pool, Id number) {
    const auto [found, is_new] = of_scope_[pool].insert(number);
    if (!is_new) return *found;
    if (free_.empty()) throw std::length_error("more scopes at once than were announced");
    const Id id = *found = free_.back();
    free_.pop_back();
    open(id, pool, number);
    return id;
  }

  // Links an entry to its slot, unless scopes have their own.
  void settle(Id entry, Id group) {
    const Id pool = setting_.groups[index(group)].pool;
    const Per per = setting_.per[index(pool)];
    if (per == Per::scope) return take(entry, entry, kNone);
    const Id node =
        per == Per::node && !setting_.entry_nodes.empty() ? setting_.entry_nodes[index(entry)] : 0;
    const Id compartment = first_[index(pool)] + node;
    take(entry, entry, compartment);
    if (!setting_.entry_is_first.empty() && !setting_.entry_is_first[index(entry)])
      entries[entry].miss_out(kKnownElsewhere);
  }

  void take(Id slot, Id entry, Id compartment) {
    slot_at(slot).key = key_of(entry);
    slot_at(slot).group = setting_.entry_groups[index(entry)];
    slot_at(slot).compartment = compartment;
  }

  Id scope_slot(Id entry, Id compartment) {
    const auto [found, is_new] = slot_of_.insert(pair(key_of(entry), compartment));
    if (!is_new) return *found;
    if (free_slots_.empty())
      throw std::length_error("more keys of scopes at once than were announced");
    const Id slot = *found = free_slots_.back();
    free_slots_.pop_back();
    take(slot, entry, compartment);
    slot_at(slot).sibling = std::exchange(at(compartment).first_slot, slot);
    return slot;
  }

  const Setting& setting_;
  policy::Notes notes_;
  std::size_t nodes_;
  std::vector<Id> first_;           // of each pool
  std::vector<IdMap> of_scope_;     // for each pool, the compartment of each scope under way
  Map<std::uint64_t, Id> slot_of_;  // the slot of a key in a scope's compartment
  Siblings siblings_;               // if some nodes tell each other of writes
  std::vector<Id> free_, free_slots_;
  std::uint32_t generations_ = 0;
};

}  // namespace vestigo::full
