// vestigo/full/keys.hpp: what is known of each key, wherever it is held.
#pragma once

#include <algorithm>
#include <cstdint>
#include <span>
#include <vector>

#include "../large_pages.hpp"
#include "setting.hpp"

namespace vestigo::full {

class Keys {
 public:
  explicit Keys(const Setting& setting)
      : loaded_(setting.keys),
        held_apart_(std::any_of(setting.per.begin(), setting.per.end(),
                                [](Per per) { return per != Per::all; })) {}

  // A load of the key begins in some compartment, or a write puts it there. If each key has one
  // slot, the slot knows this.
  void load(Id key) {
    if (held_apart_) loaded_[index(key)] = 1;
  }
  bool loaded(Id key) const { return held_apart_ && loaded_[index(key)]; }

  // The keys whose log is wanted (see witness/).
  void log(std::span<const Id> chosen) {
    if (!chosen.empty()) logged_.resize(loaded_.size());
    for (const Id key : chosen) logged_[index(key)] = true;
  }
  bool logged(Id key) const { return !logged_.empty() && logged_[index(key)]; }

  [[gnu::always_inline]] void fetch(Id key) const {
    if (held_apart_) __builtin_prefetch(&loaded_[index(key)], 1);
  }

 private:
  LargeVector<std::uint8_t> loaded_;  // for each key
  std::vector<bool> logged_;          // for each key, if there are any
  bool held_apart_;
};

}  // namespace vestigo::full
