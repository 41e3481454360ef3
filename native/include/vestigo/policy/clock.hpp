// vestigo/policy/clock.hpp: a hand goes round. It spares an entry once if the entry was hit since
// the hand last passed.
//
// F. J. Corbató, "A paging experiment with the Multics system", MIT Project MAC, 1968. The circle
// is a queue, and the hand stands at its oldest end. What the hand passes goes to the newest end,
// just behind the hand.
#pragma once

#include <utility>

#include "room.hpp"
#include "ring.hpp"

namespace vestigo::policy {

class Clock {
 public:
  static constexpr bool moves_on_hit = false, keeps_notes = true;

  explicit Clock(const Room& room) : room_(room), order_(room.entries, room.sentinel) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) {
    room_.note(id).count = 0;
    order_.push(id);
  }
  void hit(Id id, Time) { room_.note(id).count = 1; }
  void left(Id id) { order_.take(id); }
  Id evict() {
    for (;;) {
      const Id id = order_.take_oldest();
      room_.fetch(order_.newer(order_.oldest()));
      if (std::exchange(room_.note(id).count, 0) == 0) return id;
      order_.push(id);
    }
  }
  Id any() const { return order_.oldest(); }

 private:
  Room room_;
  Ring<Entry> order_;
};

}  // namespace vestigo::policy
