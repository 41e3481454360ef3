// vestigo/id_map.hpp: a map from whole numbers, for maps that are small and change often. It asks
// for memory only when it grows.
//
// Open addressing with linear probing, never more than half full. The hole of an erased key is
// closed at once (D. E. Knuth, "The Art of Computer Programming" vol. 3, 1973, section 6.4,
// algorithms L and R).
#pragma once

#include <type_traits>
#include <utility>
#include <vector>

#include "numbers.hpp"

namespace vestigo {

template <class Key, class Value>
class Map {
 public:
  // The value of `key`, or null. The pointer is valid until the map changes.
  Value* find(Key key) { return const_cast<Value*>(std::as_const(*this).find(key)); }
  const Value* find(Key key) const {
    if (places_.empty()) return nullptr;
    const Place& place = places_[search(key)];
    return place.key == kFree ? nullptr : &place.value;
  }

  // `key` is not -1.
  void set(Key key, Value value) { *insert(key).value = value; }

  // The value of `key`, and whether it is new. The pointer is valid until the map changes. It does
  // not change where the key is there, so several threads may ask for such keys.
  struct Inserted {
    Value* value;
    bool is_new;
  };
  Inserted insert(Key key) {
    if (places_.empty()) grow();
    std::size_t i = search(key);
    if (places_[i].key == key) return {&places_[i].value, false};
    if (2 * (used_ + 1) > places_.size()) {
      grow();
      i = search(key);
    }
    places_[i].key = key;
    ++used_;
    return {&places_[i].value, true};
  }

  [[gnu::always_inline]] void fetch(Key key) const {
    if (!places_.empty()) __builtin_prefetch(&places_[bucket(key)], 1);
  }

  void erase(Key key) {
    if (places_.empty()) return;
    std::size_t hole = search(key);
    if (places_[hole].key == kFree) return;
    for (std::size_t i = next(hole); places_[i].key != kFree; i = next(i)) {
      // What stands behind the hole moves into it, unless its own search begins behind the hole as
      // well.
      if (((i - bucket(places_[i].key)) & mask()) >= ((i - hole) & mask()))
        places_[std::exchange(hole, i)] = places_[i];
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
      if (place.key != kFree) visit(place.key, place.value);
    }
  }

  std::size_t size() const { return used_; }

 private:
  static constexpr Key kFree = static_cast<Key>(-1);
  struct Place {
    Key key = kFree;
    Value value{};
  };

  std::size_t mask() const { return places_.size() - 1; }
  std::size_t next(std::size_t i) const { return (i + 1) & mask(); }
  std::size_t bucket(Key key) const {
    const std::uint64_t mixed =
        static_cast<std::make_unsigned_t<Key>>(key) * std::uint64_t{0x9E3779B97F4A7C15};
    return static_cast<std::size_t>(mixed >> 32) & mask();
  }

  // The place of `key`, or the free place where it would be.
  std::size_t search(Key key) const {
    std::size_t i = bucket(key);
    while (places_[i].key != key && places_[i].key != kFree) i = next(i);
    return i;
  }

  [[gnu::noinline]] void grow() {
    std::vector<Place> old =
        std::exchange(places_, std::vector<Place>(places_.empty() ? 16 : 2 * places_.size()));
    used_ = 0;
    for (const Place& place : old) {
      if (place.key != kFree) set(place.key, place.value);
    }
  }

  std::vector<Place> places_;  // a power of two of them
  std::size_t used_ = 0;
};

// From ids to ids; kNone where there is none.
class IdMap : public Map<Id, Id> {
 public:
  Id find(Id key) const {
    const Id* const found = Map::find(key);
    return found == nullptr ? kNone : *found;
  }
};

}  // namespace vestigo
