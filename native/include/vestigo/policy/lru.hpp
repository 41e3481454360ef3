// vestigo/policy/lru.hpp: least recently used. The entry whose last load or hit is longest ago
// leaves first.
//
// Analysed as a page replacement rule in L. A. Belady, "A study of replacement algorithms for a
// virtual-storage computer", IBM Systems Journal 5(2), 1966.
#pragma once

#include "room.hpp"
#include "ring.hpp"

namespace vestigo::policy {

// What every policy has:
//   arriving  a value is about to come in; room for it is made next
//   placed    an entry came in, after a load that took `cost` (negative: it was written, not
//   loaded) hit       an entry was used left      an entry went, not by the policy's choice evict
//   gives up an entry and says which any       one of the entries, where there are some
struct Lru {
  static constexpr bool moves_on_hit = true, keeps_notes = false;
  Ring<Entry> order;

  explicit Lru(const Room& room) : order(room.entries, room.sentinel) {}
  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) { order.push(id); }
  void hit(Id id, Time) { order.renew(id); }
  void left(Id id) { order.take(id); }
  Id evict() { return order.take_oldest(); }
  Id any() const { return order.oldest(); }
};

}  // namespace vestigo::policy
