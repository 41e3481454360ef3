// bind/curve.cpp: the curve of all sizes as a Python class.
#include <nanobind/stl/optional.h>
#include <nanobind/stl/vector.h>

#include <algorithm>
#include <optional>

#include "columns.hpp"
#include "vestigo/curve.hpp"

namespace nb = nanobind;
using namespace nb::literals;

namespace vestigo::bind {
namespace {

CurveSetting checked(Column<Id> entry_lookups, std::optional<Column<Id>> entry_nodes,
                     Column<std::uint8_t> chosen, Bytes overhead, bool replaces,
                     std::vector<std::int64_t> entries, std::vector<Time> sliding) {
  for (const Id lookup : view(entry_lookups)) {
    if (lookup < 0 || static_cast<std::size_t>(lookup) >= chosen.size())
      refuse("a key's look-up is out of range");
  }
  if (entry_lookups.size() == 0 || entry_lookups.size() > std::size_t{1} << 30)
    refuse("no keys, or more than 2^30");
  if (entry_nodes && entry_nodes->size() != entry_lookups.size())
    refuse("columns differ in length");
  for (const Id node : entry_nodes ? view(*entry_nodes) : std::span<const Id>{}) {
    if (node < 0 || node > 1 << 24) refuse("an entry's node is out of range");
  }
  if (overhead < 0 || overhead > (Bytes{1} << 28)) refuse("an overhead is out of range");
  if (!std::is_sorted(entries.begin(), entries.end()) ||
      !std::is_sorted(sliding.begin(), sliding.end()))
    refuse("sizes or lifetimes out of order");
  return {.entry_lookups = {entry_lookups.data(), entry_lookups.data() + entry_lookups.size()},
          .entry_nodes = entry_nodes ? std::vector<Id>(entry_nodes->data(),
                                                       entry_nodes->data() + entry_nodes->size())
                                     : std::vector<Id>{},
          .chosen = {chosen.data(), chosen.data() + chosen.size()},
          .overhead = overhead,
          .replaces = replaces,
          .entries = std::move(entries),
          .sliding = std::move(sliding)};
}

class BoundCurve {
 public:
  BoundCurve(Column<Id> entry_lookups, std::optional<Column<Id>> entry_nodes,
             Column<std::uint8_t> chosen, Bytes overhead, bool replaces,
             std::vector<std::int64_t> entries, std::vector<Time> sliding, bool is_later)
      : keys_(entry_lookups.size()),
        curve_(checked(entry_lookups, std::move(entry_nodes), chosen, overhead, replaces,
                       std::move(entries), std::move(sliding)),
               is_later) {}

  // Feeds the next batch, of which the first `uncounted` events are not counted.
  void feed(const BoundColumns& batch, std::size_t uncounted) {
    if (is_over_) refuse("the curve is over");
    if (batch.keys() != keys_) refuse("the batch is of another trace");
    nb::gil_scoped_release released;
    curve_.feed(batch.columns(), 0, batch.events(), uncounted);
  }

  // Takes what came right after, as a curve of its own has it, with the same setting. Nothing comes
  // after the last.
  void take_later(const BoundCurve& later, bool is_last) {
    if (is_over_) refuse("the curve is over");
    if (!curve_.can_take(later.curve_)) refuse("what came later is of another curve");
    is_over_ = is_last;
    nb::gil_scoped_release released;
    curve_.take_later(later.curve_, is_last);
  }

  // (reads, hits by depth in entries, largest depth in bytes of each bin, hits of each bin, hits by
  // size and lifetime).
  std::tuple<std::int64_t, Array<std::int64_t>, Array<std::int64_t>, Array<std::int64_t>,
             Array<std::int64_t>>
  counts() const {
    const auto& bytes = curve_.by_bytes();
    std::vector<std::int64_t> largest(bytes.size());
    for (std::size_t bin = 0; bin < bytes.size(); ++bin) largest[bin] = Histogram::largest(bin);
    return {curve_.reads(), array(std::vector(curve_.by_entries())), array(std::move(largest)),
            array(std::vector(bytes)), array(std::vector(curve_.surface()))};
  }

 private:
  std::size_t keys_;
  bool is_over_ = false;
  Curve curve_;
};

}  // namespace

void bind_curve(nb::module_& m) {
  nb::class_<BoundCurve>(m, "Curve")
      .def(nb::init<Column<Id>, std::optional<Column<Id>>, Column<std::uint8_t>, Bytes, bool,
                    std::vector<std::int64_t>, std::vector<Time>, bool>(),
           "entry_lookups"_a.noconvert(), "entry_nodes"_a.noconvert().none(),
           "chosen"_a.noconvert(), "overhead"_a, "replaces"_a, "entries"_a, "sliding"_a,
           "is_later"_a)
      .def("feed", &BoundCurve::feed, "batch"_a, "uncounted"_a)
      .def("take_later", &BoundCurve::take_later, "later"_a, "is_last"_a)
      .def("counts", &BoundCurve::counts);
}

}  // namespace vestigo::bind
