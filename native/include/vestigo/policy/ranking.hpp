// vestigo/policy/ranking.hpp: the entries of a pool by rank, the lowest first.
//
// Of equal ranks, the entry that was ranked first comes first. That is the least recently used one.
// The note of an entry has its place.
#pragma once

#include "../heap.hpp"
#include "room.hpp"

namespace vestigo::policy {

// What has been taken from the top leaves a hole there, which the next entry fills: it mostly has a
// low rank, so it stays near.
template <class Rank>
class Ranking {
 public:
  explicit Ranking(const Room& room) : heap_(Places{room}) {}

  struct Ranked {
    Rank rank;
    std::uint64_t since;
    Id id;
    bool operator<(const Ranked& other) const {
      return rank < other.rank || (rank == other.rank && since < other.since);
    }
  };

  bool empty() {
    fill();
    return heap_.empty();
  }
  const Ranked& lowest() {
    fill();
    return heap_.first();
  }
  Id any() {
    fill();
    return heap_.last().id;
  }

  Id take_lowest() {
    const Id id = lowest().id;
    has_hole_ = true;
    return id;
  }

  void push(Id id, Rank rank) { push(next(id, rank)); }
  void push(const Ranked& ranked) {
    if (has_hole_) {
      has_hole_ = false;
      heap_.change(0, ranked);
    } else {
      heap_.push(ranked);
    }
  }
  void renew(Id id, Rank rank) {
    fill();
    heap_.change(place(id), next(id, rank));
  }
  void renew_lowest(const Ranked& ranked) { heap_.change(0, ranked); }
  void take(Id id) {
    fill();
    heap_.take(place(id));
  }

  Ranked next(Id id, Rank rank) { return {rank, ++ranked_, id}; }

 private:
  struct Places {
    Room room;
    std::uint32_t& operator()(const Ranked& ranked) const { return room.note(ranked.id).place; }
  };

  std::size_t place(Id id) const { return heap_.places().room.note(id).place; }

  void fill() {
    if (has_hole_) heap_.take(0);
    has_hole_ = false;
  }

  Heap<Ranked, Places> heap_;
  std::uint64_t ranked_ = 0;
  bool has_hole_ = false;
};

}  // namespace vestigo::policy
