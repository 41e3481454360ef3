// vestigo/full/watches.hpp: when entries that nobody touches are collected.
#pragma once

#include <vector>

#include "../heap.hpp"

namespace vestigo::full {

// Of what is due at one moment, the lower key comes first, then the lower compartment.
struct Watch {
  Time at = kNever;
  Id key = 0, number = 0;
  Id slot = kNone;

  bool operator<(const Watch& other) const {
    if (at != other.at) return at < other.at;
    return key < other.key || (key == other.key && number < other.number);
  }
};

class Watches {
 public:
  explicit Watches(std::size_t slots) : heap_(Places{std::vector<std::uint32_t>(slots, kNowhere)}) {}

  Time next_at() const { return heap_.empty() ? kNever : heap_.first().at; }

  // The slot is watched, and was not.
  void add(const Watch& watch) { heap_.push(watch); }

  Id take_first() {
    const Id slot = heap_.first().slot;
    take(slot);
    return slot;
  }

  // The slot is watched no more, if it was.
  void take(Id slot) {
    const std::uint32_t place = std::exchange(heap_.places().of[static_cast<std::size_t>(slot)], kNowhere);
    if (place != kNowhere) heap_.take(place);
  }

 private:
  static constexpr std::uint32_t kNowhere = UINT32_MAX;
  struct Places {
    std::vector<std::uint32_t> of;  // by slot
    std::uint32_t& operator()(const Watch& watch) { return of[static_cast<std::size_t>(watch.slot)]; }
  };

  Heap<Watch, Places> heap_;
};

}  // namespace vestigo::full
