// vestigo/policy/rising.hpp: the entries of a pool by rank, the lowest first, where ranks only rise
// while entries stay.
//
// Entries that came in by rank and were not used again are in a queue. Of the others, a new rank is
// only noted: an entry sinks to its place in the ranking when it comes to the top. So hits and
// arrivals cost nearly nothing.
#pragma once

#include <array>
#include <bit>

#include "ranking.hpp"
#include "ring.hpp"

namespace vestigo::policy {

template <class Rank>
class Rising {
 public:
  explicit Rising(const Room& room)
      : room_(room), arrivals_(room.entries, room.sentinel), ranking_(room) {}

  Rank lowest_rank() { return lowest().rank; }
  Id any() { return arrivals_.empty() ? ranking_.any() : arrivals_.oldest(); }

  Id take_lowest() {
    const Id id = lowest().id;
    if (!is_arrival(id)) return ranking_.take_lowest();
    arrivals_.take(id);
    return id;
  }

  // An entry that comes in, with a rank not lower than that of any before it.
  void arrive(Id id, Rank rank) {
    noted(ranking_.next(id, rank));
    room_.note(id).place = kArrival;
    arrivals_.push(id);
  }
  // An entry that comes in with any rank.
  void push(Id id, Rank rank) { ranking_.push(noted(ranking_.next(id, rank))); }
  void renew(Id id, Rank rank) {
    const Ranked ranked = noted(ranking_.next(id, rank));
    if (!is_arrival(id)) return;
    arrivals_.take(id);
    ranking_.push(ranked);
  }
  void take(Id id) { is_arrival(id) ? arrivals_.take(id) : ranking_.take(id); }

 private:
  using Ranked = typename Ranking<Rank>::Ranked;
  static constexpr std::uint32_t kArrival = UINT32_MAX;

  bool is_arrival(Id id) const { return room_.note(id).place == kArrival; }

  const Ranked& noted(const Ranked& ranked) const {
    Note& note = room_.note(ranked.id);
    note.number = static_cast<std::int64_t>(ranked.rank);
    const auto halves = std::bit_cast<std::array<Id, 2>>(ranked.since);
    note.before = halves[0];
    note.after = halves[1];
    return ranked;
  }
  Ranked now(Id id) const {
    const Note& note = room_.note(id);
    return {static_cast<Rank>(note.number),
            std::bit_cast<std::uint64_t>(std::array<Id, 2>{note.before, note.after}), id};
  }

  Ranked lowest() {
    for (;;) {
      if (!arrivals_.empty()) {
        const Ranked arrival = now(arrivals_.oldest());
        if (ranking_.empty() || arrival < ranking_.lowest()) return arrival;
      }
      const Ranked first = ranking_.lowest(), risen = now(first.id);
      if (risen.since == first.since) return first;
      ranking_.renew_lowest(risen);
    }
  }

  Room room_;
  Ring<Entry> arrivals_;
  Ranking<Rank> ranking_;
};

}  // namespace vestigo::policy
