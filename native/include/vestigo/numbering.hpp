// vestigo/numbering.hpp: numbers pairs of a key and a node by first appearance, so that a replay sees only more keys.
#pragma once

#include <stdexcept>
#include <vector>

#include "id_map.hpp"

namespace vestigo {

class Numbering {
 public:
  Id number(Id key, Id node) {
    const auto [found, is_new] = ids_.insert(pair(key, node));
    if (!is_new) return *found;
    if (keys_.size() >= static_cast<std::size_t>(INT32_MAX) / 2) throw std::length_error("more than 2^30 keys on nodes");
    *found = static_cast<Id>(keys_.size());
    keys_.push_back(key);
    nodes_.push_back(node);
    return *found;
  }

  // Fetches what numbering a pair will touch.
  void fetch(Id key, Id node) const { ids_.fetch(pair(key, node)); }

  const std::vector<Id>& keys() const { return keys_; }
  const std::vector<Id>& nodes() const { return nodes_; }

 private:
  static std::uint64_t pair(Id key, Id node) { return static_cast<std::uint64_t>(key) << 32 | static_cast<std::uint32_t>(node); }

  Map<std::uint64_t, Id> ids_;
  std::vector<Id> keys_, nodes_;
};

}  // namespace vestigo
