// vestigo/policy/ranking.hpp: the entries of a pool by rank, the lowest first: a heap of four children a node.
//
// Ties go to the entry that was ranked first, which is the least recently used one. Where an entry stands is in its note.
#pragma once

#include <utility>
#include <vector>

#include "home.hpp"

namespace vestigo::policy {

template <class Rank>
class Ranking {
 public:
  explicit Ranking(const Home& home) : home_(home) {}

  Rank lowest_rank() const { return heap_[0].rank; }
  Id any() const { return heap_.back().id; }

  Id take_lowest() {
    const Id id = heap_[0].id;
    take(id);
    return id;
  }

  void push(Id id, Rank rank) {
    heap_.emplace_back();
    rise(heap_.size() - 1, {rank, ++ranked_, id});
  }

  void renew(Id id, Rank rank) {
    const std::size_t place = home_.note(id).place;
    const Ranked changed{rank, ++ranked_, id};
    changed < heap_[place] ? rise(place, changed) : sink(place, changed);
  }

  void take(Id id) {
    const std::size_t place = home_.note(id).place;
    const Ranked last = heap_.back();
    heap_.pop_back();
    if (place == heap_.size()) return;
    last < heap_[place] ? rise(place, last) : sink(place, last);
  }

 private:
  struct Ranked {
    Rank rank;
    std::uint64_t since;
    Id id;
    bool operator<(const Ranked& other) const { return rank < other.rank || (rank == other.rank && since < other.since); }
  };
  static constexpr std::size_t kChildren = 4;

  void put(std::size_t place, const Ranked& ranked) {
    heap_[place] = ranked;
    home_.note(ranked.id).place = static_cast<std::uint32_t>(place);
  }

  void rise(std::size_t place, const Ranked& risen) {
    while (place > 0) {
      const std::size_t parent = (place - 1) / kChildren;
      if (!(risen < heap_[parent])) break;
      put(place, heap_[parent]);
      place = parent;
    }
    put(place, risen);
  }

  void sink(std::size_t place, const Ranked& sunk) {
    for (;;) {
      const std::size_t first = place * kChildren + 1, end = std::min(first + kChildren, heap_.size());
      if (first >= end) break;
      std::size_t least = first;
      for (std::size_t child = first + 1; child < end; ++child) {
        if (heap_[child] < heap_[least]) least = child;
      }
      if (!(heap_[least] < sunk)) break;
      put(place, heap_[least]);
      place = least;
    }
    put(place, sunk);
  }

  Home home_;
  std::vector<Ranked> heap_;
  std::uint64_t ranked_ = 0;
};

}  // namespace vestigo::policy
