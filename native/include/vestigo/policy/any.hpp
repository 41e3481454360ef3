// vestigo/policy/any.hpp: a policy chosen for each look-up when the plan is read, where look-ups differ.
//
// Slower than one policy for all, which the compiler sees through; the replay uses it only for mixed plans.
#pragma once

#include "../rules.hpp"
#include "fifo.hpp"
#include "lru.hpp"

namespace vestigo::policy {

struct Any {
  static constexpr bool moves_on_hit = true;
  Eviction kind;
  Order order;

  Any(Entry* entries, Id hub, const Rules& rules) : kind(rules.eviction), order(entries, hub) {}
  void placed(Entry* entries, Id id) { order.push(entries, id); }
  void hit(Entry* entries, Id id) {
    if (kind == Eviction::fifo) return;
    order.take(entries, id);
    order.push(entries, id);
  }
  void left(Entry* entries, Id id) { order.take(entries, id); }
  Id evict(Entry* entries) { return order.take_oldest(entries); }
  Id victim(const Entry* entries) const { return order.oldest(entries); }
};

}  // namespace vestigo::policy
