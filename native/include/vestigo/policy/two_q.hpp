// vestigo/policy/two_q.hpp: 2Q. New entries wait in a queue. Only a key that is asked for again
// soon after it left the queue comes into the main part, which is ordered by use.
//
// T. Johnson, D. Shasha, "2Q: a low overhead high performance buffer management replacement
// algorithm", VLDB 1994: the full version, with the queue a quarter of the room and ghosts for half
// of it.
#pragma once

#include "ghosts.hpp"
#include "queue.hpp"

namespace vestigo::policy {

class TwoQ {
 public:
  static constexpr bool moves_on_hit = true, keeps_notes = true;

  explicit TwoQ(const Room& room)
      : room_(room), in_(room, 0, kIn), main_(room, 1, kMain), out_(room, 0, kOut) {}

  void arriving(Id id, Bytes) { returns_ = room_.note(id).where == kOut; }
  void placed(Id id, Time, Time) {
    if (room_.note(id).where == kOut) out_.take(id);
    (returns_ ? main_ : in_).push(id);
  }
  void hit(Id id, Time) {
    if (room_.note(id).where == kMain) main_.renew(id);
  }
  void left(Id id) { (room_.note(id).where == kMain ? main_ : in_).take(id); }
  Id evict() {
    if (in_.weight() <= room_.numbers[0] && !main_.empty()) return main_.take_oldest();
    const Id id = in_.take_oldest();
    out_.push(id, room_.weight_of(id));
    out_.trim(room_.numbers[1]);
    return id;
  }
  Id any() const { return (in_.empty() ? main_ : in_).oldest(); }

 private:
  enum : std::uint8_t { kIn = 1, kMain, kOut };
  Room room_;
  Queue in_, main_;
  Ghosts out_;
  bool returns_ = false;
};

}  // namespace vestigo::policy
