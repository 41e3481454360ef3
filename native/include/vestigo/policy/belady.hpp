// vestigo/policy/belady.hpp: Belady's optimum. The entry whose next read is farthest away leaves
// first. This needs knowledge of the future.
//
// L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", IBM Systems
// Journal 5(2), 1966. Of entries that are never read again, the least recently used goes first.
#pragma once

#include <utility>

#include "ranking.hpp"

namespace vestigo::policy {

class Belady {
 public:
  static constexpr bool moves_on_hit = false, keeps_notes = true;

  explicit Belady(const Room& room) : room_(room), ranking_(room) {}

  // Hears that an event of the key happens. `next` is the row of its next read.
  void coming(Id id, std::int64_t next) {
    if (std::exchange(room_.note(id).number, -next) != -next && room_.entries[id].held())
      ranking_.renew(id, -next);
  }
  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) {
    const std::int64_t next = room_.notes[id].number;  // also if the pool was emptied since
    room_.note(id).number = next;
    ranking_.push(id, next);
  }
  void hit(Id, Time) {}
  void left(Id id) { ranking_.take(id); }
  Id evict() { return ranking_.take_lowest(); }
  Id any() { return ranking_.any(); }

 private:
  Room room_;
  Ranking<std::int64_t> ranking_;
};

}  // namespace vestigo::policy
