// vestigo/full/keys.hpp: what is known of each key, wherever it is held: its rules, and the values that it had at the origin.
//
// What is held, or on its way, points to the value that it was then. So a change touches nothing but its own key, however many
// nodes and scopes hold it; and when the value after it came is when it began to be stale.
#pragma once

#include <span>
#include <stdexcept>
#include <vector>

#include "../columns.hpp"
#include "../large_pages.hpp"

namespace vestigo::full {

struct Key {
  Id room = 0;
  Id value = kNone;  // the present one
  Id name = kNone;   // its name
  std::uint32_t known : 1 = 0;  // some compartment has had a value
  std::uint32_t kept : 31 = 0;  // counts the values that were kept
};
static_assert(sizeof(Key) == 16);

class Keys {
 public:
  explicit Keys(std::span<const Id> rooms) : keys_(rooms.size()) {
    for (std::size_t key = 0; key < keys_.size(); ++key) keys_[key].room = rooms[key];
  }

  Key& operator[](Id key) { return keys_[static_cast<std::size_t>(key)]; }
  const Key& operator[](Id key) const { return keys_[static_cast<std::size_t>(key)]; }

  // A row tells the value of its key; or, with kNames, only what that is called.
  void learn(Key& key, Id name, std::uint8_t mark, Time now) {
    if (key.value != kNone) {
      if (key.name == name) return;
      Value& before = values_[static_cast<std::size_t>(key.value)];
      if (mark & kNames) {
        before.name = key.name = name;
        return;
      }
      before.next = static_cast<Id>(values_.size());
    }
    if (values_.size() >= static_cast<std::size_t>(INT32_MAX)) throw std::length_error("more than 2^31 changes of values");
    key.value = static_cast<Id>(values_.size());
    key.name = name;
    values_.push_back({now, name, kNone});
  }

  // Of a value that the key has or had.
  bool is_null(Id key, Id value) const { return name(key, value) == kNullValue; }
  bool is_present(Id key, Id value) const { return name(key, value) == (*this)[key].name; }
  // When the value that came after it came.
  Time changed_at(Id value) const { return at(at(value).next).begins; }

  // Inlined by order: the compiler takes a function that only fetches for one without effect.
  [[gnu::always_inline]] void fetch(Id key) const { __builtin_prefetch(&keys_[static_cast<std::size_t>(key)], 1); }

 private:
  struct Value {
    Time begins;
    Id name, next;
  };
  Id name(Id key, Id value) const {
    const Key& own = (*this)[key];
    return value == own.value ? own.name : at(value).name;
  }
  const Value& at(Id value) const { return values_[static_cast<std::size_t>(value)]; }

  LargeVector<Key> keys_;
  LargeVector<Value> values_;
};

}  // namespace vestigo::full
