// vestigo/policy/slru.hpp: segmented least recently used. An entry that is hit moves from probation
// into a protected part, and back when that part is full. Victims come from probation.
//
// R. Karedla, J. S. Love, B. G. Wherry, "Caching strategies to improve disk system performance",
// IEEE Computer 27(3), 1994.
#pragma once

#include "queue.hpp"

namespace vestigo::policy {

class Slru {
 public:
  static constexpr bool moves_on_hit = true, keeps_notes = true;

  explicit Slru(const Room& room)
      : room_(room),
        probation_(room, 0, kProbation),
        protected_(room, 1, kProtected),
        most_protected_(room.numbers[0]) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) { probation_.push(id); }
  void hit(Id id, Time) {
    if (room_.note(id).where == kProtected) return protected_.renew(id);
    probation_.take(id);
    protected_.push(id);
    while (protected_.weight() > most_protected_) probation_.push(protected_.take_oldest());
  }
  void left(Id id) { (room_.note(id).where == kProtected ? protected_ : probation_).take(id); }
  Id evict() { return (probation_.empty() ? protected_ : probation_).take_oldest(); }
  Id any() const { return (probation_.empty() ? protected_ : probation_).oldest(); }

 private:
  enum : std::uint8_t { kProbation = 1, kProtected };
  Room room_;
  Queue probation_, protected_;
  std::int64_t most_protected_;
};

}  // namespace vestigo::policy
