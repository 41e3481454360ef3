// vestigo/heap.hpp: a heap with four children for each node. Any node can be removed, because each
// knows its place.
#pragma once

#include <algorithm>
#include <utility>
#include <vector>

#include "numbers.hpp"

namespace vestigo {

// `Places` says where the place of a node is kept: places(node) is a reference to a number.
template <class Node, class Places>
class Heap {
 public:
  explicit Heap(Places places) : places_(std::move(places)) {}

  bool empty() const { return nodes_.empty(); }
  const Node& first() const { return nodes_[0]; }
  const Node& last() const { return nodes_.back(); }
  const Places& places() const { return places_; }
  Places& places() { return places_; }

  void push(const Node& node) {
    nodes_.emplace_back();
    rise(nodes_.size() - 1, node);
  }

  // Puts a node in a place.
  void change(std::size_t place, const Node& node) {
    node < nodes_[place] ? rise(place, node) : sink(place, node);
  }

  void take(std::size_t place) {
    const Node moved = nodes_.back();
    nodes_.pop_back();
    if (place < nodes_.size()) change(place, moved);
  }

 private:
  static constexpr std::size_t kChildren = 4;

  void put(std::size_t place, const Node& node) {
    nodes_[place] = node;
    places_(node) = static_cast<std::uint32_t>(place);
  }

  void rise(std::size_t place, const Node& risen) {
    while (place > 0) {
      const std::size_t parent = (place - 1) / kChildren;
      if (!(risen < nodes_[parent])) break;
      put(place, nodes_[parent]);
      place = parent;
    }
    put(place, risen);
  }

  void sink(std::size_t place, const Node& sunk) {
    for (;;) {
      const std::size_t begin = place * kChildren + 1,
                        end = std::min(begin + kChildren, nodes_.size());
      if (begin >= end) break;
      std::size_t least = begin;
      for (std::size_t child = begin + 1; child < end; ++child) {
        if (nodes_[child] < nodes_[least]) least = child;
      }
      if (!(nodes_[least] < sunk)) break;
      put(place, nodes_[least]);
      place = least;
    }
    put(place, sunk);
  }

  Places places_;
  std::vector<Node> nodes_;
};

}  // namespace vestigo
