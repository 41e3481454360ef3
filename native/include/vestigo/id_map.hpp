// vestigo/id_map.hpp: a map from ids to ids that is small, often changed, and asks for memory only when it grows.
//
// Open addressing with linear probing, never more than half full; an erased place is closed at once (D. E. Knuth,
// "The Art of Computer Programming" vol. 3, 1973, section 6.4, algorithms L and R).
#pragma once

#include <utility>
#include <vector>

#include "numbers.hpp"

namespace vestigo {

class IdMap {
 public:
  // The value of `key`, or kNone.
  Id find(Id key) const { return places_.empty() ? kNone : places_[search(key)].value; }

  // `key` and `value` are no negative ids.
  void set(Id key, Id value) {
    if (2 * (used_ + 1) > places_.size()) grow();
    Place& place = places_[search(key)];
    if (place.key == kNone) ++used_;
    place = {key, value};
  }

  // `key` is in the map.
  void erase(Id key) {
    std::size_t hole = search(key);
    for (std::size_t i = next(hole); places_[i].key != kNone; i = next(i)) {
      // What stands behind the hole moves into it unless its own search begins behind the hole, too.
      if (((i - home(places_[i].key)) & mask()) >= ((i - hole) & mask())) places_[std::exchange(hole, i)] = places_[i];
    }
    places_[hole] = {};
    --used_;
  }

  void clear() {
    places_.clear();
    used_ = 0;
  }

  template <class Visit>
  void each(Visit visit) const {
    for (const Place& place : places_) {
      if (place.key != kNone) visit(place.key, place.value);
    }
  }

  std::size_t size() const { return used_; }

 private:
  struct Place {
    Id key = kNone, value = kNone;
  };

  std::size_t mask() const { return places_.size() - 1; }
  std::size_t next(std::size_t i) const { return (i + 1) & mask(); }
  std::size_t home(Id key) const {
    const std::uint64_t mixed = static_cast<std::uint32_t>(key) * std::uint64_t{0x9E3779B97F4A7C15};
    return static_cast<std::size_t>(mixed >> 32) & mask();
  }

  // Where `key` stands, or the free place where it would.
  std::size_t search(Id key) const {
    std::size_t i = home(key);
    while (places_[i].key != key && places_[i].key != kNone) i = next(i);
    return i;
  }

  [[gnu::noinline]] void grow() {
    std::vector<Place> old = std::exchange(places_, std::vector<Place>(places_.empty() ? 16 : 2 * places_.size()));
    used_ = 0;
    for (const Place& place : old) {
      if (place.key != kNone) set(place.key, place.value);
    }
  }

  std::vector<Place> places_;  // a power of two of them
  std::size_t used_ = 0;
};

}  // namespace vestigo
