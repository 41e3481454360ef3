// vestigo/full/failures.hpp: failures of loads that are kept for a while.
#pragma once

#include <vector>

#include "../id_map.hpp"

namespace vestigo::full {

class Failures {
 public:
  void keep(Id slot, Time until) { until_.set(slot, until); }

  bool has(Id slot, Time now) const {
    const Time* const until = until_.find(slot);
    return until != nullptr && now < *until;
  }

  void forget(Id slot) { until_.erase(slot); }
  // Those of all slots for which `lost(slot)` is true.
  template <class Lost>
  void forget_if(Lost lost) {
    std::vector<Id> gone;
    until_.each([&](Id slot, Time) {
      if (lost(slot)) gone.push_back(slot);
    });
    for (const Id slot : gone) until_.erase(slot);
  }

 private:
  Map<Id, Time> until_;
};

}  // namespace vestigo::full
