// vestigo/loads.hpp: loads under way, by the moment they end and by the key they are for.
//
// A load lives in a slot. A heap orders the slots by (end, begun earlier first). The loads of one key
// form a ring, newest first, that hangs on the key's entry.
#pragma once

#include <algorithm>
#include <vector>

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
  // When the next load ends; kNever if none is under way.
  Time next_end() const { return next_end_; }
  std::size_t size() const { return heap_.size(); }
  const Load& operator[](Id slot) const { return slots_[at(slot)]; }

  void begin(const Load& load, Entry& entry) {
    const Id slot = take_slot(load);
    join_ring(slot, entry);
    heap_.push_back({load.ends_at, ++begun_, slot});
    sift_up(heap_.size() - 1);
    next_end_ = heap_.front().ends_at;
  }

  // Removes the load that ends next and gives it back.
  Load finish(Entry* entries) {
    const Id slot = heap_.front().slot;
    pop();
    const Load load = slots_[at(slot)];
    leave_ring(slot, entries[load.key]);
    free_.push_back(slot);
    return load;
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
    for (const Due& due : heap_) {
      const Id key = slots_[at(due.slot)].key;
      entries[key].newest_load = kNone;
      lost(key);
    }
    heap_.clear();
    slots_.clear();
    free_.clear();
    next_end_ = kNever;
  }

  // True if heap and rings agree: for tests, after every step.
  bool check(const Entry* entries) const {
    for (std::size_t i = 0; i < heap_.size(); ++i) {
      if (i > 0 && heap_[i] < heap_[(i - 1) / kArity]) return false;
      const Load& load = slots_[at(heap_[i].slot)];
      if (load.ends_at != heap_[i].ends_at || entries[load.key].newest_load == kNone) return false;
      if (load.older != kNone && slots_[at(load.older)].key != load.key) return false;
    }
    return slots_.size() == heap_.size() + free_.size() &&
           next_end_ == (heap_.empty() ? kNever : heap_.front().ends_at);
  }

 private:
  struct Due {
    Time ends_at;
    std::uint32_t begun;
    Id slot;
    bool operator<(const Due& other) const {
      return ends_at != other.ends_at ? ends_at < other.ends_at : begun < other.begun;
    }
  };
  static constexpr std::size_t kArity = 4;
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

  void sift_up(std::size_t i) {
    const Due due = heap_[i];
    for (; i > 0 && due < heap_[(i - 1) / kArity]; i = (i - 1) / kArity) heap_[i] = heap_[(i - 1) / kArity];
    heap_[i] = due;
  }

  void pop() {
    const Due last = heap_.back();
    heap_.pop_back();
    if (!heap_.empty()) sift_down(last);
    next_end_ = heap_.empty() ? kNever : heap_.front().ends_at;
  }

  void sift_down(const Due due) {
    std::size_t i = 0;
    for (;;) {
      const std::size_t first = i * kArity + 1, end = std::min(first + kArity, heap_.size());
      if (first >= end) break;
      std::size_t least = first;
      for (std::size_t child = first + 1; child < end; ++child) {
        if (heap_[child] < heap_[least]) least = child;
      }
      if (!(heap_[least] < due)) break;
      heap_[i] = heap_[least];
      i = least;
    }
    heap_[i] = due;
  }

  std::vector<Load> slots_;
  std::vector<Id> free_;
  std::vector<Due> heap_;
  std::uint32_t begun_ = 0;
  Time next_end_ = kNever;
};

}  // namespace vestigo
