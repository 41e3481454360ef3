// vestigo/loads.hpp: loads under way that an entry has no room to record.
//
// When a load would end is known before the replay begins: Columns::ends lists it for every read, in order.
// So there is no queue of loads: the replay walks that list beside the events, and asks which of the reads
// did begin a load. While a key is not held, its entry is the record of the load that began first
// (Entry::load, with its value and changed_at). What is here are the rarer ones: a second load of a key, or one
// of a key that is held. The loads of one key form a ring, newest first.
#pragma once

#include <unordered_map>
#include <utility>
#include <vector>

#include "entry.hpp"

namespace vestigo {

struct Load {
  Time changed_at = kNever;  // first change of the truth since it began
  Id event = kNone;          // the read that began it
  Id value = kUnseen;        // the truth when it began: what it will store
  Id older = kNone;          // ring of the key's loads; the newest one's `newer` is the oldest
  Id newer = kNone;
  bool raced = false;        // a drop arrived since it began
};

class Loads {
 public:
  bool began(Id event) const { return slot_of_.contains(event); }

  // A load begins, the newest of its key.
  void begin(Id key, Id event, Id value) {
    const Id slot = take_slot(event);
    Load& load = slots_[at(slot)];
    load = {.event = event, .value = value, .newer = slot};
    const auto [newest, only] = newest_.try_emplace(key, slot);
    if (only) return;
    load.older = newest->second;
    load.newer = std::exchange(slots_[at(newest->second)].newer, slot);
    newest->second = slot;
  }

  // A load that an entry has recorded so far is recorded here: the oldest of its key.
  void take_over(Id key, Entry& entry) {
    const Id slot = take_slot(entry.load);
    Load& load = slots_[at(slot)];
    load = {.changed_at = entry.changed_at, .event = entry.load, .value = entry.value, .newer = slot, .raced = entry.raced};
    entry.load = kNone;
    entry.more_loads = true;
    const auto [newest, only] = newest_.try_emplace(key, slot);
    if (only) return;
    load.newer = std::exchange(slots_[at(newest->second)].newer, slot);
    slots_[at(load.newer)].older = slot;
  }

  // Ends the load that a read began.
  Load finish(Id key, Id event, Entry& entry) {
    const auto found = slot_of_.find(event);
    const Id slot = found->second;
    const Load load = slots_[at(slot)];
    slot_of_.erase(found);
    free_.push_back(slot);
    Id& newest = newest_.at(key);
    if (slot != newest) {
      slots_[at(load.newer)].older = load.older;
      slots_[at(load.older == kNone ? newest : load.older)].newer = load.newer;
    } else if (load.older != kNone) {
      slots_[at(load.older)].newer = load.newer;
      newest = load.older;
    } else {
      newest_.erase(key);
      entry.more_loads = false;
    }
    return load;
  }

  // The load that began first among those of a key.
  const Load& oldest(Id key) const { return slots_[at(slots_[at(newest_.at(key))].newer)]; }

  // A change, a drop or a naming touches the loads that began since the last one of its kind: these
  // come first in the ring, so that every load is touched at most once for each kind.
  void mark_changed(Id key, Time now) {
    each_newest(key, [now](Load& load) { return load.changed_at == kNever && (load.changed_at = now, true); });
  }
  void mark_raced(Id key) {
    each_newest(key, [](Load& load) { return !load.raced && (load.raced = true); });
  }
  void rename(Id key, Id from, Id to) {
    each_newest(key, [from, to](Load& load) { return load.value == from && (load.value = to, true); });
  }

  // Gives up all of them; calls `lost(key)` for each key.
  template <class Lost>
  void abandon(Lost lost) {
    for (const auto& [key, slot] : newest_) lost(key);
    slots_.clear();
    free_.clear();
    slot_of_.clear();
    newest_.clear();
  }

  // True if the key's ring is whole: for tests, after every step.
  bool check(Id key, const Entry& entry) const {
    const auto newest = newest_.find(key);
    if (newest == newest_.end()) return !entry.more_loads;
    Id last = kNone;
    for (Id slot = newest->second; slot != kNone; slot = slots_[at(slot)].older) {
      const Load& load = slots_[at(slot)];
      if (slot_of_.at(load.event) != slot) return false;
      if (last != kNone && (load.newer != last || load.event >= slots_[at(last)].event)) return false;
      last = slot;
    }
    return entry.more_loads && slots_[at(newest->second)].newer == last;
  }

 private:
  static std::size_t at(Id id) { return static_cast<std::size_t>(id); }

  Id take_slot(Id event) {
    if (free_.empty()) {
      free_.push_back(static_cast<Id>(slots_.size()));
      slots_.emplace_back();
    }
    const Id slot = free_.back();
    free_.pop_back();
    slot_of_[event] = slot;
    return slot;
  }

  template <class Touch>
  void each_newest(Id key, Touch touch) {
    for (Id slot = newest_.at(key); slot != kNone && touch(slots_[at(slot)]);) slot = slots_[at(slot)].older;
  }

  std::vector<Load> slots_;
  std::vector<Id> free_;
  std::unordered_map<Id, Id> slot_of_;  // by event
  std::unordered_map<Id, Id> newest_;   // by key
};

}  // namespace vestigo
