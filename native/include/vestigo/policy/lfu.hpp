// vestigo/policy/lfu.hpp: least frequently used. The entry with the fewest uses since it came in
// leaves first. Of equal ones, the least recently used goes first. The count is lost with the
// entry.
//
// A. V. Aho, P. J. Denning, J. D. Ullman, "Principles of optimal page replacement", Journal of the
// ACM 18(1), 1971.
#pragma once

#include "ranking.hpp"

namespace vestigo::policy {

class Lfu {
 public:
  static constexpr bool moves_on_hit = false, keeps_notes = true;

  explicit Lfu(const Room& room) : room_(room), ranking_(room) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) { ranking_.push(id, room_.note(id).count = 1); }
  void hit(Id id, Time) { ranking_.renew(id, ++room_.note(id).count); }
  void left(Id id) { ranking_.take(id); }
  Id evict() { return ranking_.take_lowest(); }
  Id any() const { return ranking_.any(); }

 private:
  Room room_;
  Ranking<std::uint32_t> ranking_;
};

}  // namespace vestigo::policy
