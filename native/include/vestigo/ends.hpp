// vestigo/ends.hpp: when each read's load would end, in order. This is worked out once for a batch,
// and serves all replays of it.
#pragma once

#include <algorithm>
#include <bit>
#include <iterator>
#include <vector>

#include "columns.hpp"

namespace vestigo {

// The end of a load, and the event that begins it.
struct LoadEnd {
  Time at = 0;
  Id event = 0;

  friend auto operator<=>(const LoadEnd&, const LoadEnd&) = default;
};

// Puts ends in order: about as many buckets as there are ends, each with its share of the time.
class EndSorter {
 public:
  void sort(std::vector<LoadEnd>& ends) {
    if (std::is_sorted(ends.begin(), ends.end())) return;
    const auto [first, last] = std::minmax_element(ends.begin(), ends.end());
    const Time begin = first->at;
    const auto span = static_cast<std::uint64_t>(last->at - begin);
    const auto bits = static_cast<int>(std::bit_width(span));
    const int shift = std::max(bits - static_cast<int>(std::bit_width(ends.size())), 0);
    begins_.assign((span >> shift) + 2, 0);
    const auto bucket = [=](const LoadEnd& end) {
      return static_cast<std::size_t>(static_cast<std::uint64_t>(end.at - begin) >> shift);
    };
    for (const LoadEnd& end : ends) ++begins_[bucket(end) + 1];
    for (std::size_t i = 1; i < begins_.size(); ++i) begins_[i] += begins_[i - 1];
    sorted_.resize(ends.size());
    for (const LoadEnd& end : ends) sorted_[begins_[bucket(end)]++] = end;
    std::size_t from = 0;  // each bucket now begins where the next one was to begin
    for (const std::size_t to : begins_) {
      if (to - from > 1) std::sort(sorted_.data() + from, sorted_.data() + to);
      from = to;
    }
    ends.swap(sorted_);
  }

 private:
  std::vector<std::size_t> begins_;
  std::vector<LoadEnd> sorted_;
};

class EndsInOrder {
 public:
  // `before` has the ends of the batch before, whose last event was at `over`.
  explicit EndsInOrder(const Columns& columns, const Ends& before = {}, Time over = kNever)
      : before_(before),
        carried_from_(static_cast<std::size_t>(
            std::upper_bound(before.at, before.at + before.count, over) - before.at)),
        carried_to_(carried_from_) {
    std::size_t own = 0;
    for (std::size_t i = 0; i < columns.events; ++i) own += takes_time(columns, i);
    if (own > 0) place_.resize(columns.events, kNone);
    at_.reserve(before.count - carried_from_ + own + 1);
    key_.reserve(before.count - carried_from_ + own + 1);
    add_all(columns);
    carry_until(kNever);
    add(kNever, 0);
  }

  Ends ends() const {
    return {key_.size() - 1, at_.data(), key_.data(), place_.data(), static_cast<Id>(carried_from_),
            carried_};
  }

 private:
  static constexpr std::size_t kFewest = 1024;  // events that are looked at together

  static bool takes_time(const Columns& columns, std::size_t i) {
    return (columns.mark[i] & kOp) == kRead && columns.cost[i] > 0;
  }

  // Nothing that begins later ends before now. So only what is under way is put in order.
  void add_all(const Columns& columns) {
    EndSorter sorter;
    std::vector<LoadEnd> under_way, over;
    for (std::size_t i = 0; i < columns.events;) {
      const std::size_t next = std::min(i + std::max(kFewest, under_way.size()), columns.events);
      for (; i < next; ++i) {
        if (takes_time(columns, i))
          under_way.push_back({columns.at[i] + columns.cost[i], static_cast<Id>(i)});
      }
      const Time now = i < columns.events ? columns.at[i] : kNever;
      const auto is_over = [now](const LoadEnd& end) { return end.at <= now; };
      over.clear();
      std::copy_if(under_way.begin(), under_way.end(), std::back_inserter(over), is_over);
      std::erase_if(under_way, is_over);
      sorter.sort(over);
      for (const auto& [at, event] : over) {
        carry_until(at);
        place_[index(event)] = add(at, columns.key[event]);
      }
    }
  }

  void carry_until(Time end) {
    for (; carried_to_ < before_.count && before_.at[carried_to_] <= end; ++carried_to_) {
      carried_.push_back(add(before_.at[carried_to_], before_.key[carried_to_]));
    }
  }

  Id add(Time at, Id key) {
    at_.push_back(at);
    key_.push_back(key);
    return static_cast<Id>(at_.size() - 1);
  }

  Ends before_;  // only while this is made
  std::size_t carried_from_, carried_to_;
  std::vector<Time> at_;
  std::vector<Id> key_, place_, carried_;
};

}  // namespace vestigo
