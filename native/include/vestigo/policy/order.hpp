// vestigo/policy/order.hpp: a ring of entries, newest to oldest, threaded through the entries themselves.
//
// The ring's hub is an entry of its own that is never held, and an entry in no order is a ring of one, so that no
// operation has a special case.
#pragma once

#include "../entry.hpp"

namespace vestigo::policy {

struct Order {
  Id hub;

  Order(Entry* entries, Id hub_id) : hub(hub_id) { entries[hub].before = entries[hub].after = hub; }

  Id newest(const Entry* entries) const { return entries[hub].after; }
  Id oldest(const Entry* entries) const { return entries[hub].before; }

  void push(Entry* entries, Id id) const {
    const Id second = entries[hub].after;
    entries[id].before = hub;
    entries[id].after = second;
    entries[second].before = id;
    entries[hub].after = id;
  }

  void take(Entry* entries, Id id) const {
    const Id before = entries[id].before, after = entries[id].after;
    entries[before].after = after;
    entries[after].before = before;
    entries[id].before = entries[id].after = id;
  }

  // The same for the oldest one.
  Id take_oldest(Entry* entries) const {
    const Id id = oldest(entries), before = entries[id].before;
    entries[before].after = hub;
    entries[hub].before = before;
    entries[id].before = entries[id].after = id;
    return id;
  }
};

}  // namespace vestigo::policy
