// vestigo/full/truths.hpp: the values that each key had at the origin, one after the other.
//
// What is held, or on its way, points to the value that it was then. So a change touches nothing but its own key, however many
// nodes and scopes hold it; and when the value after it came is when it began to be stale.
#pragma once

#include <stdexcept>
#include <vector>

#include "../columns.hpp"

namespace vestigo::full {

class Truths {
 public:
  explicit Truths(std::size_t keys) : present_(keys, kNone) {}

  // A row tells the value of its key; or, with kNames, only what that is called.
  void learn(Id key, Id value, std::uint8_t mark, Time now) {
    Id& present = present_[static_cast<std::size_t>(key)];
    if (present != kNone) {
      Value& before = values_[static_cast<std::size_t>(present)];
      if (mark & kNames) before.name = value;
      if (before.name == value) return;
      before.next = static_cast<Id>(values_.size());
    }
    if (values_.size() >= static_cast<std::size_t>(INT32_MAX)) throw std::length_error("more than 2^31 changes of values");
    present = static_cast<Id>(values_.size());
    values_.push_back({now, value, kNone});
  }

  Id present(Id key) const { return present_[static_cast<std::size_t>(key)]; }
  bool is_null(Id value) const { return at(value).name == kNullValue; }
  bool same(Id value, Id other) const { return at(value).name == at(other).name; }
  // When the value that came after it came.
  Time changed_at(Id value) const { return at(at(value).next).begins; }

 private:
  struct Value {
    Time begins;
    Id name, next;
  };
  const Value& at(Id value) const { return values_[static_cast<std::size_t>(value)]; }

  std::vector<Id> present_;
  std::vector<Value> values_;
};

}  // namespace vestigo::full
