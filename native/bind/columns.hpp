// bind/columns.hpp: NumPy columns as the kernel reads them, checked once when they are bound.
#pragma once

#include <nanobind/nanobind.h>
#include <nanobind/ndarray.h>

#include <optional>
#include <span>
#include <stdexcept>
#include <string>

#include "vestigo/columns.hpp"
#include "vestigo/ends.hpp"

namespace vestigo::bind {

namespace nb = nanobind;

template <class T>
using Column = nb::ndarray<const T, nb::ndim<1>, nb::c_contig, nb::device::cpu>;

template <class T>
std::span<const T> view(const Column<T>& column) {
  return {column.data(), column.size()};
}

[[noreturn]] inline void refuse(const std::string& what) { throw std::invalid_argument(what); }

// Holds the arrays, so that they live as long as it does.
class BoundColumns {
 public:
  BoundColumns(Column<Time> at, Column<Id> key, Column<Id> value, Column<std::uint8_t> mark, Column<Bytes> size,
               Column<Time> cost, Column<Id> key_lookups, std::size_t lookups)
      : at_(at), key_(key), value_(value), mark_(mark), size_(size), cost_(cost), key_lookups_(key_lookups), lookups_(lookups) {
    check_lengths();
    check_rows();
    for (const Id lookup : view(key_lookups_)) {
      if (lookup < 0 || static_cast<std::size_t>(lookup) >= lookups) refuse("a key's look-up is out of range");
    }
    ends_.emplace(raw());
  }

  Columns columns() const {
    Columns columns = raw();
    columns.ends = ends_->ends();
    return columns;
  }
  std::span<const Id> key_lookups() const { return view(key_lookups_); }
  std::size_t lookups() const { return lookups_; }

 private:
  Columns raw() const {
    return {at_.size(), at_.data(), key_.data(), value_.data(), mark_.data(), size_.data(), cost_.data(), {}};
  }

  void check_lengths() const {
    const std::size_t events = at_.size();
    if (key_.size() != events || value_.size() != events || mark_.size() != events || size_.size() != events ||
        cost_.size() != events) {
      refuse("columns differ in length");
    }
    if (lookups_ > 65'535) refuse("more than 65,535 look-ups");
    if (events >= static_cast<std::size_t>(INT32_MAX) || key_lookups_.size() + lookups_ >= static_cast<std::size_t>(INT32_MAX)) {
      refuse("more than 2^31 events or keys in one piece");
    }
    if (events > 0 && key_lookups_.size() == 0) refuse("no keys");
  }

  void check_rows() const {
    const Columns c = raw();
    const auto keys = static_cast<Id>(key_lookups_.size());
    const Bytes largest = c.events == 0 ? 0 : kMostBytes / static_cast<Bytes>(c.events);
    Time left = kMostCost;
    for (std::size_t i = 0; i < c.events; ++i) {
      if (c.at[i] < kEarliest || c.at[i] > kLatest || (i > 0 && c.at[i] < c.at[i - 1])) refuse("times out of order or range");
      if (c.key[i] < 0 || c.key[i] >= keys) refuse("a key is out of range");
      if (c.size[i] < 0 || c.size[i] > largest) refuse("a size is out of range");
      if (c.cost[i] < 0 || c.cost[i] > kLongestSpan) refuse("a cost is out of range");
      if ((left -= c.cost[i]) < 0) refuse("the costs add up to too much");
      const unsigned op = c.mark[i] & kOp;
      if (op > kRestart || c.mark[i] > (kOp | kForced | kNames)) refuse("an unknown mark");
    }
  }

  Column<Time> at_;
  Column<Id> key_, value_;
  Column<std::uint8_t> mark_;
  Column<Bytes> size_;
  Column<Time> cost_;
  Column<Id> key_lookups_;
  std::size_t lookups_;
  std::optional<EndsInOrder> ends_;
};

}  // namespace vestigo::bind
