// vestigo/policy/sieve.hpp: a queue in which entries stay where they are. A hand goes from old to
// new, and takes the first entry that was not hit since it last passed.
//
// Y. Zhang, J. Yang, Y. Yue, Y. Vigfusson, K. V. Rashmi, "SIEVE is simpler than LRU: an efficient
// turn-key eviction algorithm for web caches", NSDI 2024.
#pragma once

#include <utility>

#include "room.hpp"
#include "ring.hpp"

namespace vestigo::policy {

class Sieve {
 public:
  static constexpr bool moves_on_hit = false, keeps_notes = true;

  explicit Sieve(const Room& room)
      : room_(room), order_(room.entries, room.sentinel), hand_(room.sentinel) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) {
    room_.note(id).count = 0;
    order_.push(id);
  }
  void hit(Id id, Time) { room_.note(id).count = 1; }
  void left(Id id) {
    if (hand_ == id) hand_ = order_.newer(id);
    order_.take(id);
  }
  Id evict() {
    for (;;) {
      const Id id = hand_ == order_.sentinel ? order_.oldest() : hand_;
      hand_ = order_.newer(id);
      room_.fetch(order_.newer(hand_));
      if (std::exchange(room_.note(id).count, 0) != 0) continue;
      order_.take(id);
      return id;
    }
  }
  Id any() const { return order_.oldest(); }

 private:
  Room room_;
  Ring<Entry> order_;
  Id hand_;  // the sentinel means that it begins with the oldest
};

}  // namespace vestigo::policy
