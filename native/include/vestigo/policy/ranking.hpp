// vestigo/policy/ranking.hpp: the entries of a pool by rank, the lowest first.
//
// Of equal ranks, the entry that was ranked first comes first. That is the least recently used one.
// The note of an entry has its place.
#pragma once

#include "../heap.hpp"
#include "room.hpp"

namespace vestigo::policy {

template <class Rank>
class Ranking {
 public:
  explicit Ranking(const Room& room) : heap_(Places{room}) {}

  Rank lowest_rank() const { return heap_.first().rank; }
  Id any() const { return heap_.last().id; }

  Id take_lowest() {
    const Id id = heap_.first().id;
    heap_.take(0);
    return id;
  }

  void push(Id id, Rank rank) { heap_.push({rank, ++ranked_, id}); }
  void renew(Id id, Rank rank) { heap_.change(place(id), {rank, ++ranked_, id}); }
  void take(Id id) { heap_.take(place(id)); }

 private:
  struct Ranked {
    Rank rank;
    std::uint64_t since;
    Id id;
    bool operator<(const Ranked& other) const {
      return rank < other.rank || (rank == other.rank && since < other.since);
    }
  };
  struct Places {
    Room room;
    std::uint32_t& operator()(const Ranked& ranked) const { return room.note(ranked.id).place; }
  };

  std::size_t place(Id id) const { return heap_.places().room.note(id).place; }

  Heap<Ranked, Places> heap_;
  std::uint64_t ranked_ = 0;
};

}  // namespace vestigo::policy
