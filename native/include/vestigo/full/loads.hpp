// vestigo/full/loads.hpp: loads under way, for each slot in the order in which they began, and news
// on their way to other nodes.
#pragma once

#include <stdexcept>
#include <vector>

#include "compartments.hpp"

namespace vestigo::full {

// A value that comes in at `ends_at` for a slot, or a drop.
struct Load {
  Time ends_at = 0, loaded_at = 0, cost = 0;
  Bytes size = 0;
  std::int64_t row = 0;              // the event that began it
  Id slot = kNone;                   // kNone if it was given up
  Id stretch = 0;                    // the stretch in which it was the truth
  Id before = kNone, after = kNone;  // the next load of the same slot
  bool raced = false;                // a drop arrived since it began
  bool fails = false;                // it brings nothing, because the origin is away
};

class Loads {
 public:
  const Load& operator[](Id load) const { return loads_[index(load)]; }

  // Records a load, or news, that no slot lists.
  Id put(const Load& load) {
    if (free_.empty()) {
      if (loads_.size() >= static_cast<std::size_t>(INT32_MAX))
        throw std::length_error("more than 2^31 loads and news under way");
      free_.push_back(static_cast<Id>(loads_.size()));
      loads_.emplace_back();
    }
    const Id place = free_.back();
    free_.pop_back();
    loads_[index(place)] = load;
    return place;
  }

  // A load begins. It is the newest of its slot.
  Id begin(const Load& load, Slot& slot) {
    const Id begun = put(load);
    loads_[index(begun)].before = slot.last_load;
    (slot.last_load == kNone ? slot.first_load : loads_[index(slot.last_load)].after) = begun;
    slot.last_load = begun;
    return begun;
  }

  // Ends what was recorded.
  Load take(Id place) {
    free_.push_back(place);
    return loads_[index(place)];
  }

  // A load that was not given up ends. Its slot no longer lists it.
  void unlist(const Load& load, Slot& slot) {
    (load.before == kNone ? slot.first_load : loads_[index(load.before)].after) = load.after;
    (load.after == kNone ? slot.last_load : loads_[index(load.after)].before) = load.before;
  }

  // A drop arrives while they are under way.
  void mark_raced(const Slot& slot) {
    for (Id load = slot.first_load; load != kNone; load = loads_[index(load)].after)
      loads_[index(load)].raced = true;
  }

  // Gives up all loads of a slot, and returns whether there were any.
  bool give_up(Slot& slot) {
    const bool some = slot.first_load != kNone;
    for (Id load = slot.first_load; load != kNone; load = loads_[index(load)].after)
      loads_[index(load)].slot = kNone;
    slot.first_load = slot.last_load = kNone;
    return some;
  }

  // Calls `visit(slot)` at least once for every slot that has loads under way.
  template <class Visit>
  void each_slot(Visit visit) const {
    for (const Load& load : loads_) {
      if (load.slot != kNone) visit(load.slot);
    }
  }

 private:
  std::vector<Load> loads_;
  std::vector<Id> free_;
};

}  // namespace vestigo::full
