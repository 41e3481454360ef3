// vestigo/ends.hpp: when each read's load would end, in order. This is worked out once for a batch,
// and serves all replays of it.
#pragma once

#include <algorithm>
#include <functional>
#include <queue>
#include <utility>
#include <vector>

#include "columns.hpp"

namespace vestigo {

class EndsInOrder {
 public:
  // `before` has the ends of the batch before, whose last event was at `over`.
  explicit EndsInOrder(const Columns& columns, const Ends& before = {}, Time over = kNever)
      : carried_from_(std::upper_bound(before.at, before.at + before.count, over) - before.at) {
    const auto takes_time = [&](std::size_t i) {
      return (columns.mark[i] & kOp) == kRead && columns.cost[i] > 0;
    };
    std::size_t own = 0;
    for (std::size_t i = 0; i < columns.events; ++i) own += takes_time(i);
    if (own > 0) place_.resize(columns.events, kNone);
    const std::size_t count = before.count - static_cast<std::size_t>(carried_from_) + own;
    at_.reserve(count + 1);
    key_.reserve(count + 1);
    auto carried = static_cast<std::size_t>(carried_from_);
    const auto carry_until = [&](Time end) {
      for (; carried < before.count && before.at[carried] <= end; ++carried) {
        carried_.push_back(add(before.at[carried], before.key[carried]));
      }
    };
    // Nothing that begins later ends before now. So only the loads under way are put in order.
    using Load = std::pair<Time, Id>;
    std::priority_queue<Load, std::vector<Load>, std::greater<>> under_way;
    const auto end_until = [&](Time now) {
      for (; !under_way.empty() && under_way.top().first <= now; under_way.pop()) {
        const auto [at, event] = under_way.top();
        carry_until(at);
        place_[index(event)] = add(at, columns.key[event]);
      }
    };
    for (std::size_t i = 0; i < columns.events; ++i) {
      if (!takes_time(i)) continue;
      end_until(columns.at[i]);
      under_way.emplace(columns.at[i] + columns.cost[i], static_cast<Id>(i));
    }
    end_until(kNever);
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
