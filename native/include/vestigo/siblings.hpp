// vestigo/siblings.hpp: the entries of one key on several nodes, which tell each other of writes.
#pragma once

#include <algorithm>
#include <span>
#include <utility>
#include <vector>

#include "large_pages.hpp"
#include "numbers.hpp"

namespace vestigo {

class Siblings {
 public:
  Siblings() = default;
  // The key of each entry, and the number of keys. Only entries for which `tells(entry)` is true
  // have siblings.
  template <class Tells>
  Siblings(std::span<const Id> entry_keys, std::size_t keys, Tells tells) {
    std::vector<Id> latest(keys, kNone);
    next_.reserve(entry_keys.size());
    for (std::size_t i = 0; i < entry_keys.size(); ++i) {
      const auto entry = static_cast<Id>(i);
      next_.push_back(entry);
      if (!tells(entry)) continue;
      Id& before = latest[index(entry_keys[i])];
      if (before != kNone) next_.back() = std::exchange(next_[index(before)], entry);
      before = entry;
    }
  }

  // The entries of an entry's key, in the order of nodes: the others, or if it `came_from_none` of
  // them, all.
  template <class Node>
  const std::vector<Id>& of(Id entry, bool came_from_none, Node node) {
    found_.clear();
    if (came_from_none) found_.push_back(entry);
    if (next_.empty()) return found_;  // each key has one
    for (Id other = next_[index(entry)]; other != entry; other = next_[index(other)])
      found_.push_back(other);
    std::sort(found_.begin(), found_.end(), [&](Id a, Id b) { return node(a) < node(b); });
    return found_;
  }

 private:
  LargeVector<Id> next_;  // the next entry of the same key; the last one is followed by the first
  std::vector<Id> found_;
};

}  // namespace vestigo
