// bind/stays.cpp: for how many rows entries are held at least, as a Python class (see
// vestigo/stays.hpp).
#include "vestigo/stays.hpp"

#include <nanobind/stl/pair.h>

#include "array.hpp"

namespace vestigo::bind {
namespace {

using namespace nb::literals;

class BoundStays {
 public:
  BoundStays(Column<Time> at, std::int64_t first_counted)
      : at_(std::move(at)), first_counted_(first_counted), stays_(view(at_)) {
    if (first_counted_ < 0) refuse("a row is out of range");
  }

  // (key, rows) of the reads among the next events that count and follow another event of their key
  // in the same compartment. `takes` says how long it takes at the latest until an event's value is
  // there, `row` which rows of the trace they are.
  std::pair<Array<Id>, Array<std::int64_t>> see(Column<std::int64_t> row, Column<Id> key,
                                                Column<Id> owner, Column<Time> takes,
                                                Column<std::uint8_t> is_read) {
    const std::size_t events = row.size();
    if (key.size() != events || owner.size() != events || takes.size() != events ||
        is_read.size() != events)
      refuse("columns differ in length");
    std::vector<Id> keys;
    std::vector<std::int64_t> stays;
    {
      const nb::gil_scoped_release released;
      for (std::size_t i = 0; i < events; ++i) {
        check(row(i), key(i), owner(i), takes(i));
        if (i + kAhead < events) stays_.fetch(key(i + kAhead), owner(i + kAhead));
        const Time comes = at_(static_cast<std::size_t>(row(i))) + takes(i);
        const auto since =
            stays_.see({.key = key(i), .owner = owner(i), .row = row(i), .comes = comes});
        if (since < 0 || is_read(i) == 0 || row(i) < first_counted_) continue;
        keys.push_back(key(i));
        stays.push_back(std::max(row(i) - std::max(since, first_counted_), std::int64_t{0}));
      }
    }
    return {array(std::move(keys)), array(std::move(stays))};
  }

 private:
  static constexpr std::size_t kAhead = 16;

  void check(std::int64_t row, Id key, Id owner, Time takes) {
    if (row <= last_row_ || row >= static_cast<std::int64_t>(at_.size()))
      refuse("a row is out of order or range");
    if (key < 0 || owner < 0) refuse("a key or owner is out of range");
    if (takes < 0 || takes > kLongestSpan) refuse("a span is out of range");
    last_row_ = row;
  }

  Column<Time> at_;
  std::int64_t first_counted_;
  std::int64_t last_row_ = -1;
  Stays stays_;
};

}  // namespace

void bind_stays(nb::module_& m) {
  nb::class_<BoundStays>(m, "Stays")
      .def(nb::init<Column<Time>, std::int64_t>(), "at"_a.noconvert(), "first_counted"_a)
      .def("see", &BoundStays::see, "row"_a.noconvert(), "key"_a.noconvert(), "owner"_a.noconvert(),
           "takes"_a.noconvert(), "is_read"_a.noconvert());
}

}  // namespace vestigo::bind
