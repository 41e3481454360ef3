// vestigo/loads.hpp: loads under way.
//
// When a load would end is known before the replay begins: Columns::ends lists it for every read, in order.
// So there is no queue here: the replay walks that list beside the events, and asks which of the reads did
// begin a load. The loads of one key form a ring, newest first, that hangs on the key's entry.
#pragma once

#include <vector>

#include "entry.hpp"

namespace vestigo {

struct Load {
  Time changed_at = kNever;  // first change of the truth since it began
  Id event = kNone;          // the read that began it; kNone: the slot is free
  Id value = kUnseen;        // the truth when it began: what it will store
  Id older = kNone;          // ring of the key's loads; the newest one's `newer` is the oldest
  Id newer = kNone;
  bool raced = false;        // a drop arrived since it began
};

class Loads {
 public:
  explicit Loads(std::size_t events) : slots_of_(events, kNone) {}

  std::size_t under_way() const { return slots_.size() - free_.size(); }

  void begin(Id event, Entry& entry) {
    const Id slot = take_slot();
    Load& load = slots_[at(slot)];
    load = {.event = event, .value = entry.truth, .older = entry.newest_load, .newer = slot};
    if (entry.newest_load != kNone) [[unlikely]] {
      Load& last = slots_[at(entry.newest_load)];
      load.newer = last.newer;
      last.newer = slot;
    }
    entry.newest_load = slot;
    slots_of_[at(event)] = slot;
  }

  // Whether this read began a load that is under way.
  bool began(Id event) const { return slots_of_[at(event)] != kNone; }

  // Ends the load that a read began; good until the next one begins.
  const Load& finish(Id event, Entry& entry) {
    const Id slot = slots_of_[at(event)];
    slots_of_[at(event)] = kNone;
    leave_ring(slot, entry);
    free_.push_back(slot);
    return slots_[at(slot)];
  }

  // The load that began first among those of the entry's key.
  const Load& oldest(const Entry& entry) const { return slots_[at(slots_[at(entry.newest_load)].newer)]; }

  // A change, a drop or a naming touches the loads that began since the last one of its kind: these
  // come first in the ring, so that every load is touched at most once for each kind.
  void mark_changed(const Entry& entry, Time now) {
    each_newest(entry, [now](Load& load) { return load.changed_at == kNever && (load.changed_at = now, true); });
  }
  void mark_raced(const Entry& entry) {
    each_newest(entry, [](Load& load) { return !load.raced && (load.raced = true); });
  }
  void rename(const Entry& entry, Id from, Id to) {
    each_newest(entry, [from, to](Load& load) { return load.value == from && (load.value = to, true); });
  }

  // Gives up all of them; calls `lost(event)` for each.
  template <class Lost>
  void abandon(Lost lost) {
    for (const Load& load : slots_) {
      if (load.event == kNone || slots_of_[at(load.event)] == kNone) continue;
      slots_of_[at(load.event)] = kNone;
      lost(load.event);
    }
    slots_.clear();
    free_.clear();
  }

  // True if the key's ring is whole: for tests, after every step.
  bool check(const Entry& entry) const {
    if (entry.newest_load == kNone) return true;
    Id last = kNone;
    for (Id slot = entry.newest_load; slot != kNone; slot = slots_[at(slot)].older) {
      const Load& load = slots_[at(slot)];
      if (slots_of_[at(load.event)] != slot) return false;
      if (last != kNone && (load.newer != last || load.event >= slots_[at(last)].event)) return false;
      last = slot;
    }
    return slots_[at(entry.newest_load)].newer == last;
  }

 private:
  static std::size_t at(Id id) { return static_cast<std::size_t>(id); }

  Id take_slot() {
    if (free_.empty()) [[unlikely]] {
      slots_.emplace_back();
      return static_cast<Id>(slots_.size() - 1);
    }
    const Id slot = free_.back();
    free_.pop_back();
    return slot;
  }

  void leave_ring(Id slot, Entry& entry) {
    const Load& load = slots_[at(slot)];
    if (slot == entry.newest_load) [[likely]] {
      entry.newest_load = load.older;
      if (load.older != kNone) [[unlikely]] slots_[at(load.older)].newer = load.newer;
      return;
    }
    slots_[at(load.newer)].older = load.older;
    slots_[at(load.older == kNone ? entry.newest_load : load.older)].newer = load.newer;
  }

  template <class Touch>
  void each_newest(const Entry& entry, Touch touch) {
    for (Id slot = entry.newest_load; slot != kNone && touch(slots_[at(slot)]);) slot = slots_[at(slot)].older;
  }

  std::vector<Load> slots_;
  std::vector<Id> free_;
  std::vector<Id> slots_of_;  // by event
};

}  // namespace vestigo
