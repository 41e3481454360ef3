// vestigo/loads.hpp: loads under way, by the moment they end and by the key they are for.
//
// A load lives in a slot. A queue gives the slots back as the loads end. The loads of one key form a
// ring, newest first, that hangs on the key's entry.
#pragma once

#include <vector>

#include "due.hpp"
#include "entry.hpp"

namespace vestigo {

struct Load {
  Time ends_at = 0;
  Time began_at = 0;
  Time changed_at = kNever;  // first change of the truth since it began
  Bytes size = 0;
  Id key = kNone;
  Id value = kUnseen;        // the truth when it began: what it will store
  Id older = kNone;          // ring of the key's loads; the newest one's `newer` is the oldest
  Id newer = kNone;
  bool raced = false;        // a drop arrived since it began
};

class Loads {
 public:
  explicit Loads(int tick_shift) : queue_(tick_shift) {}

  // No load ends before this.
  Time next_end() const { return queue_.next(); }
  const Load& operator[](Id slot) const { return slots_[at(slot)]; }

  void begin(const Load& load, Entry& entry) {
    const Id slot = take_slot(load);
    join_ring(slot, entry);
    queue_.push(slot, load.ends_at, load.began_at);
  }

  // The load that ends next, at or before `now`, and is no longer under way; kNone if there is none. Its
  // slot is good until the next one begins.
  Id finish(Time now, Entry* entries) {
    const Id slot = queue_.pop(now).slot;
    if (slot == kNone) return kNone;
    leave_ring(slot, entries[slots_[at(slot)].key]);
    free_.push_back(slot);
    return slot;
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

  // Gives up all of them; calls `lost(key)` for each.
  template <class Lost>
  void abandon(Entry* entries, Lost lost) {
    queue_.each([&](Id slot) {
      const Id key = slots_[at(slot)].key;
      entries[key].newest_load = kNone;
      lost(key);
    });
    queue_.clear();
    slots_.clear();
    free_.clear();
  }

  // True if queue and rings agree: for tests, after every step.
  bool check(const Entry* entries) const {
    bool right = slots_.size() == queue_.size() + free_.size();
    queue_.each([&](Id slot) {
      const Load& load = slots_[at(slot)];
      right = right && load.ends_at >= next_end() && in_ring(slot, entries[load.key]);
    });
    return right;
  }

 private:
  static std::size_t at(Id slot) { return static_cast<std::size_t>(slot); }

  Id take_slot(const Load& load) {
    if (free_.empty()) {
      slots_.push_back(load);
      return static_cast<Id>(slots_.size() - 1);
    }
    const Id slot = free_.back();
    free_.pop_back();
    slots_[at(slot)] = load;
    return slot;
  }

  void join_ring(Id slot, Entry& entry) {
    Load& load = slots_[at(slot)];
    load.older = entry.newest_load;
    if (entry.newest_load == kNone) {
      load.newer = slot;
    } else {
      Load& last = slots_[at(entry.newest_load)];
      load.newer = last.newer;
      last.newer = slot;
    }
    entry.newest_load = slot;
  }

  void leave_ring(Id slot, Entry& entry) {
    const Load& load = slots_[at(slot)];
    const Id oldest = slots_[at(entry.newest_load)].newer;
    if (slot == entry.newest_load) {
      entry.newest_load = load.older;
      if (load.older != kNone) slots_[at(load.older)].newer = oldest;
      return;
    }
    slots_[at(load.newer)].older = load.older;
    if (load.older != kNone) slots_[at(load.older)].newer = load.newer;
    else slots_[at(entry.newest_load)].newer = load.newer;
  }

  template <class Touch>
  void each_newest(const Entry& entry, Touch touch) {
    for (Id slot = entry.newest_load; slot != kNone && touch(slots_[at(slot)]);) slot = slots_[at(slot)].older;
  }

  bool in_ring(Id slot, const Entry& entry) const {
    for (Id other = entry.newest_load; other != kNone; other = slots_[at(other)].older) {
      if (other == slot) return true;
    }
    return false;
  }

  std::vector<Load> slots_;
  std::vector<Id> free_;
  DueQueue queue_;
};

}  // namespace vestigo
