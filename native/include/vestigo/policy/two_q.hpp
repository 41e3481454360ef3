// vestigo/policy/two_q.hpp: 2Q. New entries wait in a queue; only a key that is asked for again soon after it left that queue comes
// into the main part, which is ordered by use.
//
// T. Johnson, D. Shasha, "2Q: a low overhead high performance buffer management replacement algorithm", VLDB 1994: the full
// version, with the queue a quarter of the room and ghosts for half of it.
#pragma once

#include "ghosts.hpp"
#include "queue.hpp"

namespace vestigo::policy {

class TwoQ {
 public:
  static constexpr bool moves_on_hit = true, keeps_notes = true;

  explicit TwoQ(const Home& home) : home_(home), in_(home, 0, kIn), main_(home, 1, kMain), out_(home, 0, kOut) {}

  void arriving(Id id, Bytes) { returns_ = home_.note(id).where == kOut; }
  void placed(Id id, Time, Time) {
    if (home_.note(id).where == kOut) out_.take(id);
    (returns_ ? main_ : in_).push(id);
  }
  void hit(Id id, Time) {
    if (home_.note(id).where == kMain) main_.renew(id);
  }
  void left(Id id) { (home_.note(id).where == kMain ? main_ : in_).take(id); }
  Id evict() {
    if (in_.weight() <= home_.numbers[0] && !main_.empty()) return main_.take_oldest();
    const Id id = in_.take_oldest();
    out_.push(id, home_.weight_of(id));
    out_.trim(home_.numbers[1]);
    return id;
  }
  Id any() const { return (in_.empty() ? main_ : in_).oldest(); }

 private:
  enum : std::uint8_t { kIn = 1, kMain, kOut };
  Home home_;
  Queue in_, main_;
  Ghosts out_;
  bool returns_ = false;
};

}  // namespace vestigo::policy
