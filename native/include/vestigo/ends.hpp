// vestigo/ends.hpp: when each read's load would end, in order. Worked out once for a trace.
#pragma once

#include <algorithm>
#include <utility>
#include <vector>

#include "columns.hpp"

namespace vestigo {

class EndsInOrder {
 public:
  explicit EndsInOrder(const Columns& columns) {
    std::vector<std::pair<Time, Id>> ends;
    for (std::size_t i = 0; i < columns.events; ++i) {
      const bool read = (columns.mark[i] & kOp) == kRead;
      if (read && columns.cost[i] > 0) ends.emplace_back(columns.at[i] + columns.cost[i], static_cast<Id>(i));
    }
    std::sort(ends.begin(), ends.end());
    for (const auto& [at, event] : ends) {
      at_.push_back(at);
      event_.push_back(event);
    }
  }

  Ends ends() const { return {at_.size(), at_.data(), event_.data()}; }

 private:
  std::vector<Time> at_;
  std::vector<Id> event_;
};

}  // namespace vestigo
