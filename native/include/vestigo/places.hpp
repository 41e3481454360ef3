// vestigo/places.hpp: the places of an origin, and when a call gets one.
#pragma once

#include <algorithm>
#include <vector>

#include "min_heap.hpp"
#include "numbers.hpp"

namespace vestigo {

// Only while all places are taken does anybody ask which one will be free next. So only then are
// they kept in order. Otherwise it is enough to forget, now and then, the calls that are over.
class Places {
 public:
  explicit Places(std::size_t places) : free_(places) {}

  // When a call that comes at `now` gets a place. It has it until a moment that is told next.
  Time next(Time now) {
    if (!in_order_.empty()) {
      if (in_order_.first() > now) return in_order_.first();
      in_order_.exchange(taken_);
      forget_over(now);
    } else if (free_ == 0 || taken_.size() >= most_taken_) {
      forget_over(now);
      if (free_ == 0) {
        in_order_.exchange(taken_);
        return in_order_.first();
      }
    }
    return now;
  }

  void take(Time until) {
    if (!in_order_.empty()) return in_order_.replace_first(until);
    --free_;
    taken_.push_back(until);
  }

 private:
  static constexpr std::size_t kFewest = 64;

  void forget_over(Time now) {
    std::size_t kept = 0;
    for (const Time until : taken_) {
      taken_[kept] = until;
      kept += until > now;
    }
    free_ += taken_.size() - kept;
    taken_.resize(kept);
    most_taken_ = 2 * kept + kFewest;
  }

  std::size_t free_;
  std::vector<Time> taken_;  // until when the others are, in no order
  std::size_t most_taken_ = kFewest;
  MinHeap<Time> in_order_;  // the same in place of that, while all are taken
};

}  // namespace vestigo
