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
    if (!ends.empty()) place_.resize(columns.events, kNone);
    for (const auto& [at, event] : ends) {
      place_[static_cast<std::size_t>(event)] = static_cast<Id>(at_.size());
      at_.push_back(at);
      key_.push_back(columns.key[event]);
    }
    at_.push_back(kNever);
    key_.push_back(0);
  }

  Ends ends() const { return {key_.size() - 1, at_.data(), key_.data(), place_.data()}; }

 private:
  std::vector<Time> at_;
  std::vector<Id> key_, place_;
};

}  // namespace vestigo
