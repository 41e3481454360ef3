// bind/columns.hpp: NumPy columns as the kernel reads them, checked once when they are bound.
#pragma once

#include <algorithm>
#include <atomic>
#include <optional>

#include "truth.hpp"
#include "vestigo/columns.hpp"
#include "vestigo/ends.hpp"
#include "vestigo/large_pages.hpp"

namespace vestigo::bind {

// A batch of a trace. It holds the arrays, so that they live as long as it does.
class BoundColumns {
 public:
  // `truth` told `value` and `stretch`. `before` is the batch before this one, if there is one. It
  // is needed only during this call. `first_row` is the number of the first row in the trace; for a
  // part of a trace, `rows` says how far each row is from that one.
  BoundColumns(Column<Time> at, Column<Id> key, Column<Id> value, Column<Id> stretch,
               Column<std::uint8_t> mark, Column<Bytes> size, Column<Time> cost, Column<Id> node,
               Column<Id> scope, std::size_t keys, nb::object truth, const BoundColumns* before,
               std::int64_t first_row, std::optional<Column<Id>> rows)
      : at_(at),
        key_(key),
        value_(value),
        stretch_(stretch),
        mark_(mark),
        size_(size),
        cost_(cost),
        node_(node),
        scope_(scope),
        keys_(keys),
        truth_object_(std::move(truth)),
        truth_(nb::cast<const BoundTruth*>(truth_object_)),
        first_row_(first_row),
        rows_(std::move(rows)),
        number_(next_number()) {
    const nb::gil_scoped_release released;
    check_lengths();
    if (before != nullptr) {
      if (before->keys_ != keys_ || at_.data()[0] < before->last() ||
          raw().row(0) <= before->raw().row(before->events() - 1))
        refuse("a batch does not follow the one before");
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
    columns.stretches = truth_->stretches();
    return columns;
  }
  std::size_t events() const { return at_.size(); }
  std::size_t keys() const { return keys_; }
  Bytes largest() const { return largest_; }
  Time cost() const { return total_cost_; }
  bool has_preloads() const { return has_preloads_; }
  // How many names there are.
  std::size_t nodes() const { return static_cast<std::size_t>(last_node_) + 1; }
  std::size_t scopes() const { return static_cast<std::size_t>(last_scope_) + 1; }

  // Batches are numbered as they are made. 0 means none.
  std::uint64_t number() const { return number_; }
  std::uint64_t follows() const { return follows_; }

 private:
  static constexpr auto kMost = static_cast<std::size_t>(INT32_MAX);
  static constexpr std::int64_t kMostRows = std::int64_t{1} << 40;

  static std::uint64_t next_number() {
    static std::atomic<std::uint64_t> made{0};
    return ++made;
  }

  Time last() const { return at_.data()[at_.size() - 1]; }

  Columns raw() const {
    return {.events = at_.size(),
            .at = at_.data(),
            .key = key_.data(),
            .stretch = stretch_.data(),
            .value = value_.data(),
            .mark = mark_.data(),
            .size = size_.data(),
            .cost = cost_.data(),
            .node = node_.data(),
            .scope = scope_.data(),
            .first_row = first_row_,
            .rows = rows_ ? rows_->data() : nullptr};
  }

  void check_lengths() const {
    const std::size_t events = at_.size();
    if (key_.size() != events || value_.size() != events || stretch_.size() != events ||
        mark_.size() != events || size_.size() != events || cost_.size() != events ||
        node_.size() != events || scope_.size() != events || (rows_ && rows_->size() != events)) {
      refuse("columns differ in length");
    }
    if (events == 0) refuse("no events");
    if (keys_ == 0) refuse("no keys");
    if (events >= kMost || keys_ >= kMost) refuse("more than 2^31 events or keys in one batch");
    if (first_row_ < 0 || first_row_ > kMostRows) refuse("a row is out of range");
    for (std::size_t i = 0; rows_ && i < events; ++i) {
      if ((*rows_)(i) < (i == 0 ? 0 : (*rows_)(i - 1) + 1)) refuse("rows out of order or range");
    }
  }

  void check_rows() {
    const Columns c = raw();
    const auto keys = static_cast<Id>(keys_), most = static_cast<Id>(kMost - 1);
    const std::size_t stretches = truth_->count();
    for (std::size_t i = 0; i < c.events; ++i) {
      if (c.at[i] < kEarliest || c.at[i] > kLatest || (i > 0 && c.at[i] < c.at[i - 1]))
        refuse("times out of order or range");
      if (c.key[i] < 0 || c.key[i] >= keys) refuse("a key is out of range");
      if (c.size[i] < 0 || c.size[i] > kMostBytes) refuse("a size is out of range");
      largest_ = std::max(largest_, c.size[i]);
      if (c.cost[i] < 0 || c.cost[i] > kLongestSpan) refuse("a cost is out of range");
      if (c.cost[i] > kMostCost - total_cost_) refuse("the costs add up to too much");
      total_cost_ += c.cost[i];
      has_preloads_ |= (c.mark[i] & kOp) == kPreload;
      const unsigned op = c.mark[i] & kOp;
      if (c.mark[i] > (kOp | kForced)) refuse("an unknown mark");
      const bool valued = op != kClear && op != kRestart && op != kTakenOut && op != kNothing;
      if (valued && Stretches::place(c.stretch[i]) >= stretches)
        refuse("a stretch is out of range");
      if (valued && is_null(c.stretch[i]) != (c.value[i] == kNullValue))
        refuse("a stretch and a value are not of one row");
      if (c.node[i] < kNone || c.node[i] >= most || c.scope[i] < kNone || c.scope[i] >= most)
        refuse("a node or scope is out of range");
      last_node_ = std::max(last_node_, c.node[i]);
      last_scope_ = std::max(last_scope_, c.scope[i]);
    }
  }

  Column<Time> at_;
  Column<Id> key_, value_, stretch_;
  Column<std::uint8_t> mark_;
  Column<Bytes> size_;
  Column<Time> cost_;
  Column<Id> node_, scope_;
  std::size_t keys_;
  nb::object truth_object_;  // keeps it alive
  const BoundTruth* truth_;
  std::int64_t first_row_;
  std::optional<Column<Id>> rows_;
  Id last_node_ = kNone, last_scope_ = kNone;
  std::uint64_t number_, follows_ = 0;
  Bytes largest_ = 0;
  Time total_cost_ = 0;
  bool has_preloads_ = false;
  std::optional<EndsInOrder> ends_;
  KeptMemory kept_;  // while a trace's batches exist, memory that their replays give back is kept
};

}  // namespace vestigo::bind
