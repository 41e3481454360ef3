// vestigo/policy/gdsf.hpp: greedy dual by size and frequency. Entries that are small, expensive to
// load and often used stay.
//
// L. Cherkasova, "Improving WWW proxies performance with greedy-dual-size-frequency caching
// policy", HP Laboratories report HPL-98-69R1, 1998. The rank is age
// + uses x cost / size. The age is the rank of the last victim, the cost the time of the key's last
// load in ns (at least 1), and the size that of the entry with its overhead.
#pragma once

#include <algorithm>

#include "ranking.hpp"

namespace vestigo::policy {

class Gdsf {
 public:
  static constexpr bool moves_on_hit = false, keeps_notes = true;

  explicit Gdsf(const Room& room) : room_(room), ranking_(room) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time cost, Time) {
    Note& note = room_.note(id);
    note.count = 1;
    if (cost >= 0) note.number = cost;
    ranking_.push(id, rank(note, room_.entries[id].bytes));
  }
  void hit(Id id, Time) {
    Note& note = room_.note(id);
    ++note.count;
    ranking_.renew(id, rank(note, room_.entries[id].bytes));
  }
  void left(Id id) { ranking_.take(id); }
  Id evict() {
    age_ = ranking_.lowest().rank;
    return ranking_.take_lowest();
  }
  Id any() { return ranking_.any(); }

 private:
  double rank(const Note& note, Bytes bytes) const {
    const double cost = static_cast<double>(std::max<std::int64_t>(note.number, 1));
    return age_ +
           static_cast<double>(note.count) * cost / static_cast<double>(std::max<Bytes>(bytes, 1));
  }

  Room room_;
  Ranking<double> ranking_;
  double age_ = 0;
};

}  // namespace vestigo::policy
