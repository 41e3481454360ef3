// vestigo/full/loads.hpp: loads under way, of each slot in the order in which they began; and news on their way to other nodes.
#pragma once

#include <stdexcept>
#include <vector>

#include "compartments.hpp"

namespace vestigo::full {

// A value that comes in at `ends_at`, with the slot it is for; or a drop.
struct Load {
  Time ends_at = 0, loaded_at = 0, cost = 0;
  Bytes size = 0;
  Id slot = kNone;  // kNone: it was given up
  Id stretch = 0;  // in which it was the truth
  Id before = kNone, after = kNone;  // of the same slot
  bool raced = false;                // a drop arrived since it began
};

class Loads {
 public:
  const Load& operator[](Id load) const { return loads_[at(load)]; }

  // Puts down a load, or news, which no slot lists.
  Id put(const Load& load) {
    if (free_.empty()) {
      if (loads_.size() >= static_cast<std::size_t>(INT32_MAX)) throw std::length_error("more than 2^31 loads and news under way");
      free_.push_back(static_cast<Id>(loads_.size()));
      loads_.emplace_back();
    }
    const Id place = free_.back();
    free_.pop_back();
    loads_[at(place)] = load;
    return place;
  }

  // A load begins, the last of its slot.
  Id begin(const Load& load, Slot& slot) {
    const Id begun = put(load);
    loads_[at(begun)].before = slot.last_load;
    (slot.last_load == kNone ? slot.first_load : loads_[at(slot.last_load)].after) = begun;
    slot.last_load = begun;
    return begun;
  }

  // What was put down is over.
  Load take(Id place) {
    free_.push_back(place);
    return loads_[at(place)];
  }

  // The load is over, and not given up: its slot lists it no more.
  void unlist(const Load& load, Slot& slot) {
    (load.before == kNone ? slot.first_load : loads_[at(load.before)].after) = load.after;
    (load.after == kNone ? slot.last_load : loads_[at(load.after)].before) = load.before;
  }

  // A drop arrives while they are under way.
  void mark_raced(const Slot& slot) {
    for (Id load = slot.first_load; load != kNone; load = loads_[at(load)].after) loads_[at(load)].raced = true;
  }

  // All of a slot are given up; true if there were some.
  bool give_up(Slot& slot) {
    const bool some = slot.first_load != kNone;
    for (Id load = slot.first_load; load != kNone; load = loads_[at(load)].after) loads_[at(load)].slot = kNone;
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
  static std::size_t at(Id load) { return static_cast<std::size_t>(load); }

  std::vector<Load> loads_;
  std::vector<Id> free_;
};

}  // namespace vestigo::full
