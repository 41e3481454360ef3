// vestigo/policy/lfu_da.hpp: least frequently used, with dynamic aging. The rank of an entry is its
// uses plus the rank of the last victim. So entries that were popular once grow old.
//
// M. Arlitt, L. Cherkasova, J. Dilley, R. Friedrich, T. Jin, "Evaluating content management
// techniques for web proxy caches", ACM SIGMETRICS Performance Evaluation Review 27(4), 2000.
#pragma once

#include "rising.hpp"

namespace vestigo::policy {

class LfuDa {
 public:
  static constexpr bool moves_on_hit = false, keeps_notes = true;

  explicit LfuDa(const Room& room) : room_(room), ranking_(room) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) {
    room_.note(id).count = 1;
    ranking_.arrive(id, age_ + 1);
  }
  void hit(Id id, Time) { ranking_.renew(id, age_ + ++room_.note(id).count); }
  void left(Id id) { ranking_.take(id); }
  Id evict() {
    age_ = ranking_.lowest_rank();
    return ranking_.take_lowest();
  }
  Id any() { return ranking_.any(); }

 private:
  Room room_;
  Rising<std::uint64_t> ranking_;  // uses and age only grow
  std::uint64_t age_ = 0;
};

}  // namespace vestigo::policy
