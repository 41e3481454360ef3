// vestigo/numbering.hpp: numbers pairs of a key and a node by first appearance, so that a replay
// sees only more keys. It also says on which node each key is loaded first.
#pragma once

#include <stdexcept>
#include <vector>

#include "id_map.hpp"

namespace vestigo {

class Numbering {
 public:
  explicit Numbering(std::size_t keys) : is_loaded_(keys) {}

  // `loads` means that the row reads or preloads the key.
  Id number(Id key, Id node, bool loads) {
    const auto [found, is_new] = ids_.insert(pair(key, node));
    if (is_new) *found = add(key, node);
    const Id id = *found;
    if (loads && !is_loaded_[index(key)]) is_loaded_[index(key)] = is_first_[index(id)] = 1;
    return id;
  }

  // Fetches what numbering a pair will touch.
  void fetch(Id key, Id node) const { ids_.fetch(pair(key, node)); }

  const std::vector<Id>& keys() const { return keys_; }
  const std::vector<Id>& nodes() const { return nodes_; }
  const std::vector<std::uint8_t>& is_first() const { return is_first_; }

 private:
  Id add(Id key, Id node) {
    if (keys_.size() >= static_cast<std::size_t>(INT32_MAX) / 2)
      throw std::length_error("more than 2^30 keys on nodes");
    keys_.push_back(key);
    nodes_.push_back(node);
    is_first_.push_back(0);
    return static_cast<Id>(keys_.size()) - 1;
  }

  static std::uint64_t pair(Id key, Id node) {
    return static_cast<std::uint64_t>(key) << 32 | static_cast<std::uint32_t>(node);
  }

  Map<std::uint64_t, Id> ids_;
  std::vector<Id> keys_, nodes_;
  std::vector<std::uint8_t> is_first_;   // for each pair, whether the key is loaded there first
  std::vector<std::uint8_t> is_loaded_;  // for each key, whether it was loaded so far
};

}  // namespace vestigo
