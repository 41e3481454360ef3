// vestigo/full/planned.hpp: loads that end when the batch knew that they would.
//
// Only where a call waits, or an origin is slower, does a load of a read end at another time. All
// others need no queue (pending.hpp).
#pragma once

#include <algorithm>

#include "../fetch.hpp"
#include "../large_pages.hpp"
#include "../pending.hpp"

namespace vestigo::full {

class Planned {
 public:
  // Makes room for the loads of a batch. Those under way move to their places in it.
  void open(const Ends& ends) {
    ends_ = ends;
    LargeVector<Id> loads(ends.count + 1, kNone);
    for (std::size_t i = 0; i < ends.carried.size(); ++i)
      loads[index(ends.carried[i])] = loads_[static_cast<std::size_t>(ends.carried_from) + i];
    loads_.swap(loads);
    pending_.open(ends);
  }

  Time next_at() const { return pending_.next_at(); }
  // The load that ends next, or kNone.
  Id next() const { return loads_[pending_.next()]; }

  // A load with this place among the ends of its batch begins.
  void begin(Id place, Id load) {
    loads_[index(place)] = load;
    pending_.begin(ends_, place);
  }

  // Fetches the memory of loads that end soon, and the places of those that may begin.
  [[gnu::always_inline]] void fetch(const Id* places) const {
    __builtin_prefetch(places);
    fetch_ends(ends_, pending_.next());
    __builtin_prefetch(&loads_[std::min(pending_.next() + 4 * kBlock, ends_.count)]);
  }
  [[gnu::always_inline]] void fetch_place(Id place) const {
    if (place != kNone) __builtin_prefetch(&loads_[index(place)], 1);
  }

  // Takes the load that ends next.
  Id take_next() { return loads_[index(pending_.end(ends_))]; }

 private:
  Ends ends_;
  Pending pending_;
  LargeVector<Id> loads_{kNone};  // by place; the last one stands for "never"
};

}  // namespace vestigo::full
