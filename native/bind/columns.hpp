// bind/columns.hpp: NumPy columns as the kernel reads them, checked once when they are bound.
#pragma once

#include <algorithm>
#include <atomic>
#include <optional>

#include "array.hpp"
#include "vestigo/columns.hpp"
#include "vestigo/ends.hpp"
#include "vestigo/large_pages.hpp"

namespace vestigo::bind {

// A batch of a trace. Holds the arrays, so that they live as long as it does.
class BoundColumns {
 public:
  // `before`: the batch before this one, if there is one. It is not needed any more after this.
  BoundColumns(Column<Time> at, Column<Id> key, Column<Id> value, Column<std::uint8_t> mark, Column<Bytes> size,
               Column<Time> cost, std::size_t keys, const BoundColumns* before)
      : at_(at), key_(key), value_(value), mark_(mark), size_(size), cost_(cost), keys_(keys), number_(next_number()) {
    check_lengths();
    if (before != nullptr) {
      if (before->keys_ != keys_ || at_.data()[0] < before->last()) refuse("a batch does not follow the one before");
      follows_ = before->number_;
    }
    check_rows();
    const Ends ended = before == nullptr ? Ends{} : before->ends_->ends();
    if (ended.count + at_.size() >= kMost) refuse("more than 2^31 events or loads in one batch");
    ends_.emplace(raw(), ended, before == nullptr ? kNever : before->last());
  }

  Columns columns() const {
    Columns columns = raw();
    columns.ends = ends_->ends();
    return columns;
  }
  std::size_t events() const { return at_.size(); }
  std::size_t keys() const { return keys_; }
  Bytes largest() const { return largest_; }
  Time cost() const { return total_cost_; }
  bool has_preloads() const { return has_preloads_; }

  // Batches are numbered as they are made; 0 is none.
  std::uint64_t number() const { return number_; }
  std::uint64_t follows() const { return follows_; }

 private:
  static constexpr auto kMost = static_cast<std::size_t>(INT32_MAX);

  static std::uint64_t next_number() {
    static std::atomic<std::uint64_t> made{0};
    return ++made;
  }

  Time last() const { return at_.data()[at_.size() - 1]; }

  Columns raw() const {
    return {at_.size(), at_.data(), key_.data(), value_.data(), mark_.data(), size_.data(), cost_.data(), nullptr, nullptr, nullptr, {}};
  }

  void check_lengths() const {
    const std::size_t events = at_.size();
    if (key_.size() != events || value_.size() != events || mark_.size() != events || size_.size() != events ||
        cost_.size() != events) {
      refuse("columns differ in length");
    }
    if (events == 0) refuse("no events");
    if (keys_ == 0) refuse("no keys");
    if (events >= kMost || keys_ >= kMost) refuse("more than 2^31 events or keys in one batch");
  }

  void check_rows() {
    const Columns c = raw();
    const auto keys = static_cast<Id>(keys_);
    for (std::size_t i = 0; i < c.events; ++i) {
      if (c.at[i] < kEarliest || c.at[i] > kLatest || (i > 0 && c.at[i] < c.at[i - 1])) refuse("times out of order or range");
      if (c.key[i] < 0 || c.key[i] >= keys) refuse("a key is out of range");
      if (c.size[i] < 0 || c.size[i] > kMostBytes) refuse("a size is out of range");
      largest_ = std::max(largest_, c.size[i]);
      if (c.cost[i] < 0 || c.cost[i] > kLongestSpan) refuse("a cost is out of range");
      if (c.cost[i] > kMostCost - total_cost_) refuse("the costs add up to too much");
      total_cost_ += c.cost[i];
      has_preloads_ |= (c.mark[i] & kOp) == kPreload;
      const unsigned op = c.mark[i] & kOp;
      if (op > kPreload || c.mark[i] > (kOp | kForced | kNames)) refuse("an unknown mark");
    }
  }

  Column<Time> at_;
  Column<Id> key_, value_;
  Column<std::uint8_t> mark_;
  Column<Bytes> size_;
  Column<Time> cost_;
  std::size_t keys_;
  std::uint64_t number_, follows_ = 0;
  Bytes largest_ = 0;
  Time total_cost_ = 0;
  bool has_preloads_ = false;
  std::optional<EndsInOrder> ends_;
  KeptMemory kept_;  // while a trace's batches are kept, so is what their replays need
};

}  // namespace vestigo::bind
