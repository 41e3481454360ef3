// vestigo/policy/mru.hpp: most recently used. The entry whose last load or hit is most recent
// leaves first. This suits reads that go round in circles.
//
// H.-T. Chou, D. J. DeWitt, "An evaluation of buffer management strategies for relational database
// systems", VLDB 1985.
#pragma once

#include "lru.hpp"

namespace vestigo::policy {

struct Mru : Lru {
  using Lru::Lru;
  Id evict() {
    const Id id = order.newest();
    order.take(id);
    return id;
  }
};

}  // namespace vestigo::policy
