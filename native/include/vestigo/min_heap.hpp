// vestigo/min_heap.hpp: a heap with four children for each node, of which only the least is
// removed.
//
// What is removed leaves a hole, which sinks to the bottom without a look at what is to fill it,
// because that mostly belongs there (R. W. Floyd, "Algorithm 245: Treesort 3", Communications of
// the ACM 7(12), 1964).
#pragma once

#include <algorithm>
#include <vector>

namespace vestigo {

template <class Node>
class MinHeap {
 public:
  bool empty() const { return nodes_.empty(); }
  std::size_t size() const { return nodes_.size(); }
  const Node& first() const { return nodes_[0]; }

  void push(const Node& node) {
    nodes_.push_back(node);
    rise(nodes_.size() - 1, node);
  }

  Node take_first() {
    const Node first = nodes_[0], last = nodes_.back();
    nodes_.pop_back();
    if (!nodes_.empty()) rise(sunk_hole(), last);
    return first;
  }

  void replace_first(const Node& node) { rise(sunk_hole(), node); }

  // Exchanges what it has with `nodes`, which are in no order.
  void exchange(std::vector<Node>& nodes) {
    nodes_.swap(nodes);
    for (std::size_t place = nodes_.size() / kChildren + 1; place-- > 0;) {
      if (place * kChildren + 1 < nodes_.size()) sink(place);
    }
  }

 private:
  static constexpr std::size_t kChildren = 4;

  // Moves the hole at the top down to a leaf, and returns where it is.
  std::size_t sunk_hole() {
    const std::size_t count = nodes_.size();
    std::size_t hole = 0, begin = 1;
    for (; begin + kChildren <= count; begin = hole * kChildren + 1) {
      const std::size_t left = begin + (nodes_[begin + 1] < nodes_[begin]),
                        right = begin + 2 + (nodes_[begin + 3] < nodes_[begin + 2]);
      const std::size_t least = nodes_[right] < nodes_[left] ? right : left;
      nodes_[hole] = nodes_[least];
      hole = least;
    }
    if (begin >= count) return hole;
    const auto least =
        std::min_element(nodes_.begin() + static_cast<std::ptrdiff_t>(begin), nodes_.end());
    nodes_[hole] = *least;
    return static_cast<std::size_t>(least - nodes_.begin());
  }

  void sink(std::size_t place) {
    const Node sunk = nodes_[place];
    for (std::size_t begin = place * kChildren + 1; begin < nodes_.size();
         begin = place * kChildren + 1) {
      const auto first = nodes_.begin() + static_cast<std::ptrdiff_t>(begin);
      const auto last =
          nodes_.begin() + static_cast<std::ptrdiff_t>(std::min(begin + kChildren, nodes_.size()));
      const auto least = std::min_element(first, last);
      if (!(*least < sunk)) break;
      nodes_[place] = *least;
      place = static_cast<std::size_t>(least - nodes_.begin());
    }
    nodes_[place] = sunk;
  }

  void rise(std::size_t place, const Node& risen) {
    while (place > 0) {
      const std::size_t parent = (place - 1) / kChildren;
      if (!(risen < nodes_[parent])) break;
      nodes_[place] = nodes_[parent];
      place = parent;
    }
    nodes_[place] = risen;
  }

  std::vector<Node> nodes_;
};

}  // namespace vestigo
