// vestigo/full/keys.hpp: what is known of each key, wherever it is held.
#pragma once

#include <cstdint>

#include "../large_pages.hpp"
#include "../numbers.hpp"

namespace vestigo::full {

struct Key {
  std::uint32_t loaded : 1 = 0;  // a load of it has begun, or a write has put it, in some compartment
  std::uint32_t kept : 31 = 0;   // counts the values that were kept
};

class Keys {
 public:
  explicit Keys(std::size_t count) : keys_(count) {}

  Key& operator[](Id key) { return keys_[static_cast<std::size_t>(key)]; }

 private:
  LargeVector<Key> keys_;
};

}  // namespace vestigo::full
