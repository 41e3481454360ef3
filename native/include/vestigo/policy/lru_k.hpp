// vestigo/policy/lru_k.hpp: the entry whose K-th last reference is longest ago leaves first.
// Entries with fewer than K references go before all others, the least recently used first.
//
// E. J. O'Neil, P. E. O'Neil, G. Weikum, "The LRU-K page replacement algorithm for database disk
// buffering", SIGMOD 1993. References are remembered while the entry is held, and for the paper's
// retained information period after the last one. Every reference counts. The paper leaves out
// repeated references of one transaction, but a trace does not know transactions.
#pragma once

#include "rising.hpp"

namespace vestigo::policy {

class LruK {
 public:
  static constexpr bool moves_on_hit = false, keeps_notes = true;
  static bool accepts(const PolicyNumbers& numbers) { return numbers[0] >= 1 && numbers[0] <= 8; }

  explicit LruK(const Room& room) : room_(room), ranking_(room) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time now) {
    const Time rank = refer(id, now, room_.numbers[1]);
    rank == kGone ? ranking_.arrive(id, rank) : ranking_.push(id, rank);
  }
  void hit(Id id, Time now) {
    ranking_.renew(id, refer(id, now, INT64_MAX));
  }  // nothing of a held entry is forgotten
  void left(Id id) { ranking_.take(id); }
  Id evict() { return ranking_.take_lowest(); }
  Id any() { return ranking_.any(); }

 private:
  // Takes in a reference, where `retained` is how long the one before is remembered, and returns
  // the moment of the K-th last.
  Time refer(Id id, Time now, Time retained) {
    Note& note = room_.note(id);
    Time* const times = room_.references(id);
    const auto depth = static_cast<std::size_t>(room_.numbers[0]);
    const bool known = note.where != 0 && now - times[0] <= retained;
    if (!known) std::fill_n(times, depth, kGone);
    note.where = 1;
    std::copy_backward(times, times + depth - 1, times + depth);
    times[0] = now;
    return times[depth - 1];
  }

  Room room_;
  Rising<Time> ranking_;  // time only goes on
};

}  // namespace vestigo::policy
