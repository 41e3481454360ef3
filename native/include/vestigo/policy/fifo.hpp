// vestigo/policy/fifo.hpp: first in, first out. The entry that came into the pool first leaves first.
//
// L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", IBM Systems
// Journal 5(2), 1966.
#pragma once

#include "../rules.hpp"
#include "order.hpp"

namespace vestigo::policy {

struct Fifo {
  static constexpr bool moves_on_hit = false;
  Order order;

  Fifo(Entry* entries, Id hub, const Rules&) : order(entries, hub) {}
  void placed(Entry* entries, Id id) { order.push(entries, id); }
  void hit(Entry*, Id) {}
  void left(Entry* entries, Id id) { order.take(entries, id); }
  Id evict(Entry* entries) { return order.take_oldest(entries); }
  Id victim(const Entry* entries) const { return order.oldest(entries); }
};

}  // namespace vestigo::policy
