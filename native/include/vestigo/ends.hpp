// vestigo/ends.hpp: when each read's load would end, in order. This is worked out once for a batch,
// and serves all replays of it.
#pragma once

#include <algorithm>
#include <utility>
#include <vector>

#include "columns.hpp"

namespace vestigo {

class EndsInOrder {
 public:
  // `before` has the ends of the batch before, whose last event was at `over`.
  explicit EndsInOrder(const Columns& columns, const Ends& before = {}, Time over = kNever)
      : carried_from_(std::upper_bound(before.at, before.at + before.count, over) - before.at) {
    std::vector<std::pair<Time, Id>> own;
    for (std::size_t i = 0; i < columns.events; ++i) {
      const bool read = (columns.mark[i] & kOp) == kRead;
      if (read && columns.cost[i] > 0)
        own.emplace_back(columns.at[i] + columns.cost[i], static_cast<Id>(i));
    }
    std::sort(own.begin(), own.end());
    if (!own.empty()) place_.resize(columns.events, kNone);
    const std::size_t count = before.count - static_cast<std::size_t>(carried_from_) + own.size();
    at_.reserve(count + 1);
    key_.reserve(count + 1);
    auto carried = static_cast<std::size_t>(carried_from_);
    const auto carry_until = [&](Time end) {
      for (; carried < before.count && before.at[carried] <= end; ++carried) {
        carried_.push_back(add(before.at[carried], before.key[carried]));
      }
    };
    for (const auto& [at, event] : own) {
      carry_until(at);
      place_[index(event)] = add(at, columns.key[event]);
    }
    carry_until(kNever);
    add(kNever, 0);
  }

  Ends ends() const {
    return {key_.size() - 1, at_.data(), key_.data(), place_.data(), static_cast<Id>(carried_from_),
            carried_};
  }

 private:
  Id add(Time at, Id key) {
    at_.push_back(at);
    key_.push_back(key);
    return static_cast<Id>(at_.size() - 1);
  }

  std::ptrdiff_t carried_from_;
  std::vector<Time> at_;
  std::vector<Id> key_, place_, carried_;
};

}  // namespace vestigo
