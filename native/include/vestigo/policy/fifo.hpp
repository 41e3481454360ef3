// vestigo/policy/fifo.hpp: first in, first out. The entry that came into the pool first leaves
// first.
//
// L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", IBM Systems
// Journal 5(2), 1966.
#pragma once

#include "room.hpp"
#include "ring.hpp"

namespace vestigo::policy {

struct Fifo {
  static constexpr bool moves_on_hit = false, keeps_notes = false;
  Ring<Entry> order;

  explicit Fifo(const Room& room) : order(room.entries, room.sentinel) {}
  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) { order.push(id); }
  void hit(Id, Time) {}
  void left(Id id) { order.take(id); }
  Id evict() { return order.take_oldest(); }
  Id any() const { return order.oldest(); }
};

}  // namespace vestigo::policy
