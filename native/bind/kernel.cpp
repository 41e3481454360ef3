// bind/kernel.cpp: the kernel as a Python module. Arguments are checked first; then the GIL is released.
#include <nanobind/nanobind.h>
#include <nanobind/stl/pair.h>
#include <nanobind/stl/string.h>
#include <nanobind/stl/vector.h>

#include "columns.hpp"
#include "sheet.hpp"
#include "vestigo/any_replay.hpp"
#include "vestigo/truth.hpp"

namespace nb = nanobind;
using namespace nb::literals;

namespace vestigo::bind {
namespace {

constexpr Time kSecond = 1'000'000'000;

void check(const Rules& rules) {
  const auto span = [](Time value) { return value == kNever || (value >= 0 && value <= kLongestSpan); };
  if (rules.max_entries < 1 || rules.max_bytes < 0 || rules.entry_overhead < 0 || rules.entry_overhead > (Bytes{1} << 28) ||
      rules.max_entries > kNever || rules.max_bytes > kNever) {
    refuse("a limit is out of range");
  }
  if (!span(rules.absolute) || !span(rules.sliding) || !span(rules.null_lifetime) || rules.hit_cost < 0 ||
      rules.hit_cost > kLongestSpan) {
    refuse("a span of time is out of range");
  }
}

nb::dict replay(const BoundColumns& bound, const std::vector<Rules>& rules, std::size_t first_counted, bool instant,
                Time slice_origin, Time slice_width, std::size_t slices) {
  if (rules.size() != bound.lookups()) refuse("one set of rules is needed for each look-up");
  for (const Rules& one : rules) check(one);
  if (slice_width < 1 || slice_width > kLongestSpan || slices < 1 || slices > 10'000 || slice_origin < kEarliest - kLongestSpan ||
      slice_origin > kLatest || slice_width % kSecond != 0 || slice_origin % kSecond != 0) {
    refuse("slices are out of range, or not of whole seconds");
  }
  std::vector<Tally> tallies;
  std::vector<Slice> sliced;
  Tally total;
  {
    nb::gil_scoped_release released;
    const Ledger ledger = run(bound.columns(), bound.key_lookups(), rules, {first_counted, instant},
                              Slices(slice_origin, slice_width, slices));
    tallies = ledger.tallies();
    sliced = ledger.slices().done();
    total = ledger.total();
  }
  Sheet lookups, all, over_time;
  for (const Tally& tally : tallies) lookups.add(tally);
  all.add(total);
  std::vector<Time> begins, ends;
  for (const Slice& slice : sliced) {
    over_time.add(slice.tally);
    begins.push_back(slice.begins);
    ends.push_back(slice.ends);
  }
  nb::dict result;
  result["lookups"] = std::move(lookups).arrays();
  result["total"] = std::move(all).arrays();
  result["slices"] = std::move(over_time).arrays();
  result["begins"] = array(std::move(begins));
  result["ends"] = array(std::move(ends));
  return result;
}

// (value, mark, names): see truth.hpp. `mark` comes back with the rows marked that only name a value.
nb::tuple truth(Column<std::uint8_t> mark, Column<Id> key, Column<Id> version, Column<std::int8_t> found, std::size_t keys) {
  const std::size_t events = mark.size();
  if (key.size() != events || version.size() != events || found.size() != events) refuse("columns differ in length");
  bool unnamed_writes = false;
  for (std::size_t i = 0; i < events; ++i) {
    if (key(i) < 0 || static_cast<std::size_t>(key(i)) >= std::max<std::size_t>(keys, 1)) refuse("a key is out of range");
    unnamed_writes |= (mark(i) & kOp) == kWrite && version(i) < 0 && found(i) != 0;
  }
  std::vector<Id> values(events, kUnseen);
  std::vector<std::uint8_t> marks(mark.data(), mark.data() + events);
  Truth truth(std::max<std::size_t>(keys, 1), unnamed_writes);
  {
    nb::gil_scoped_release released;
    for (std::size_t i = 0; i < events; ++i) {
      const auto op = static_cast<std::uint8_t>(mark(i) & kOp);
      if (op > kWrite) continue;
      values[i] = truth.see({.mark = op, .key = key(i), .version = version(i), .found = found(i)}, marks[i]);
    }
  }
  std::vector<Id> names;
  for (const auto& [unnamed, name] : truth.names()) {
    names.push_back(unnamed);
    names.push_back(name);
  }
  return nb::make_tuple(array(std::move(values)), array(std::move(marks)), array(std::move(names), 2));
}

}  // namespace

NB_MODULE(kernel, m) {
  m.doc() = "The replay kernel. Imported by vestigo.engine.native alone.";
  m.attr("CAUSES") = nb::make_tuple("first", "evicted", "aged", "idle", "dropped", "cleared", "restarted", "null", "refused",
                                    "forced", "loading");
  m.attr("COUNTS") = nb::make_tuple("hits", "joined", "stale_hits", "joined_stale", "ghosts", "nulls_read", "nulls_hit", "loads",
                                    "evictions", "expirations", "drops", "clears", "refusals", "raced", "stored", "superseded",
                                    "lost", "bytes_hit", "bytes_missed");
  m.attr("SUMS") = nb::make_tuple("origin_time", "read_time", "stale_age", "held", "idle_held");
  m.attr("MOSTS") = nb::make_tuple("longest_read", "oldest_stale", "surge_second", "surge_minute", "entries_peak", "memory_peak");

  nb::enum_<Nulls>(m, "Nulls").value("skip", Nulls::skip).value("keep", Nulls::keep).value("blind", Nulls::blind);
  nb::enum_<OnWrite>(m, "OnWrite")
      .value("leave", OnWrite::leave)
      .value("drop", OnWrite::drop)
      .value("replace", OnWrite::replace);
  nb::enum_<Overlap>(m, "Overlap").value("repeat", Overlap::repeat).value("join", Overlap::join);
  nb::enum_<Eviction>(m, "Eviction").value("lru", Eviction::lru).value("fifo", Eviction::fifo);

  nb::class_<Rules>(m, "Rules")
      .def(nb::init<>())
      .def_rw("max_entries", &Rules::max_entries)
      .def_rw("max_bytes", &Rules::max_bytes)
      .def_rw("absolute", &Rules::absolute)
      .def_rw("sliding", &Rules::sliding)
      .def_rw("null_lifetime", &Rules::null_lifetime)
      .def_rw("entry_overhead", &Rules::entry_overhead)
      .def_rw("hit_cost", &Rules::hit_cost)
      .def_rw("nulls", &Rules::nulls)
      .def_rw("on_write", &Rules::on_write)
      .def_rw("overlap", &Rules::overlap)
      .def_rw("eviction", &Rules::eviction);

  nb::class_<BoundColumns>(m, "Columns")
      .def(nb::init<Column<Time>, Column<Id>, Column<Id>, Column<std::uint8_t>, Column<Bytes>, Column<Time>, Column<Id>, std::size_t>(),
           "at"_a.noconvert(), "key"_a.noconvert(), "value"_a.noconvert(), "mark"_a.noconvert(), "size"_a.noconvert(),
           "cost"_a.noconvert(), "key_lookups"_a.noconvert(), "lookups"_a);

  m.def("truth", &truth, "mark"_a.noconvert(), "key"_a.noconvert(), "version"_a.noconvert(), "found"_a.noconvert(), "keys"_a);
  m.def("replay", &replay, "columns"_a, "rules"_a, "first_counted"_a, "instant"_a, "slice_origin"_a, "slice_width"_a, "slices"_a);
}

}  // namespace vestigo::bind
