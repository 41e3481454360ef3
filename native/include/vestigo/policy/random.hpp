// vestigo/policy/random.hpp: any entry, each with the same probability.
//
// L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", IBM Systems
// Journal 5(2), 1966. The numbers are those of SplitMix64: G. L. Steele, D. Lea, C. H. Flood, "Fast
// splittable pseudorandom number generators", OOPSLA 2014.
#pragma once

#include <vector>

#include "../draw.hpp"
#include "room.hpp"

namespace vestigo::policy {

class Random {
 public:
  static constexpr bool moves_on_hit = false, keeps_notes = true;

  explicit Random(const Room& room)
      : room_(room), state_(static_cast<std::uint64_t>(room.numbers[0])) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) {
    room_.note(id).place = static_cast<std::uint32_t>(held_.size());
    held_.push_back(id);
  }
  void hit(Id, Time) {}
  void left(Id id) {
    const std::uint32_t place = room_.note(id).place;
    const Id last = held_.back();
    held_.pop_back();
    if (last == id) return;
    held_[place] = last;
    room_.note(last).place = place;
  }
  Id evict() {
    const Id id = held_[draw_below(mix(state_ += kStep), held_.size())];
    left(id);
    const std::size_t next = draw_below(
        mix(state_ + kStep), held_.size() + 1);  // after the entry that pushes it out has come in
    if (next < held_.size()) room_.fetch(held_[next]);
    return id;
  }
  Id any() const { return held_.back(); }

 private:
  Room room_;
  std::vector<Id> held_;
  std::uint64_t state_;
};

}  // namespace vestigo::policy
