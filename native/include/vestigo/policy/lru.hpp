// vestigo/policy/lru.hpp: least recently used. The entry whose last load or hit is longest ago leaves first.
//
// Analysed as a page replacement rule in L. A. Belady, "A study of replacement algorithms for a
// virtual-storage computer", IBM Systems Journal 5(2), 1966.
#pragma once

#include "../rules.hpp"
#include "order.hpp"

namespace vestigo::policy {

struct Lru {
  static constexpr bool moves_on_hit = true;
  Order order;

  Lru(Entry* entries, Id hub, const Rules&) : order(entries, hub) {}
  void placed(Entry* entries, Id id) { order.push(entries, id); }
  void hit(Entry* entries, Id id) {
    order.take(entries, id);
    order.push(entries, id);
  }
  void left(Entry* entries, Id id) { order.take(entries, id); }
  Id evict(Entry* entries) { return order.take_oldest(entries); }
  Id victim(const Entry* entries) const { return order.oldest(entries); }
};

}  // namespace vestigo::policy
