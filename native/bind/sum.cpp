// bind/sum.cpp: the sum of what the parts of a replay counted.
#include <nanobind/stl/optional.h>
#include <nanobind/stl/vector.h>

#include <optional>
#include <vector>

#include "counted.hpp"
#include "sheet.hpp"
#include "vestigo/sum.hpp"

namespace nb = nanobind;
using namespace nb::literals;

namespace vestigo::bind {
namespace {

// A span of slices that are told as one.
struct Stretch {
  std::size_t begin, end;
};

std::vector<Part> checked_parts(const std::vector<const BoundCounted*>& counted,
                                const std::vector<std::vector<Id>>& numbers, std::size_t lookups) {
  if (counted.empty() || counted.size() != numbers.size()) refuse("parts differ in number");
  if (lookups < 1 || lookups > 65'535) refuse("look-ups are out of range");
  std::vector<Part> parts;
  for (std::size_t i = 0; i < counted.size(); ++i) {
    if (counted[i] == nullptr) refuse("a part is missing");
    const Part part{&counted[i]->ledger(), numbers[i]};
    if (part.lookups.size() != part.ledger->tallies().size()) refuse("look-ups differ in number");
    for (const Id lookup : part.lookups) {
      if (lookup < 0 || static_cast<std::size_t>(lookup) >= lookups)
        refuse("a look-up is out of range");
    }
    if (counted.size() > 1 && part.ledger->course() == nullptr)
      refuse("a part has not kept its course");
    parts.push_back(part);
    const auto same = [](const Slice& a, const Slice& b) {
      return a.begins == b.begins && a.ends == b.ends;
    };
    if (counted.size() > 1 &&
        part.ledger->course()->blocks_in_slice != parts[0].ledger->course()->blocks_in_slice)
      refuse("parts differ in their blocks");
    if (part.slices().empty()) refuse("a part has counted nothing");
    if (!std::equal(part.slices().begin(), part.slices().end(), parts[0].slices().begin(),
                    parts[0].slices().end(), same))
      refuse("parts differ in their slices");
  }
  return parts;
}

// The sheets of all look-ups together, of each, and of the slices. If `until` is given, the slices
// before it are told as one, and the others as one; the counts of each slice are told beside them.
// Look-ups are left out then, because those of each part can be told once for all sums.
nb::dict sum(const std::vector<const BoundCounted*>& counted,
             const std::vector<std::vector<Id>>& numbers, std::size_t lookups,
             std::optional<std::size_t> until) {
  const std::vector<Part> parts = checked_parts(counted, numbers, lookups);
  Sheet all, of_lookups, over_time;
  std::vector<Time> begins, ends;
  std::vector<std::int64_t> counts;
  {
    nb::gil_scoped_release released;
    Whole whole(parts, lookups);
    all.add(whole.total());
    for (std::size_t i = 0; i < whole.tallies().size() && (!until || parts.size() == 1); ++i)
      of_lookups.add(whole.tallies()[i]);
    const std::size_t slices = whole.slices();
    std::vector<Stretch> told;
    if (until) {
      const std::size_t split = std::clamp<std::size_t>(*until, 1, slices);
      told = {{0, split}, {std::min(split, slices - 1), slices}};
    } else {
      for (std::size_t slice = 0; slice < slices; ++slice) told.push_back({slice, slice + 1});
    }
    for (const auto& [begin, end] : told) over_time.add(whole.joined(begin, end));
    for (std::size_t slice = 0; slice < slices; ++slice) {
      begins.push_back(parts[0].slices()[slice].begins);
      ends.push_back(parts[0].slices()[slice].ends);
      const Counts& own = whole.counted(slice).counts;
      if (until) counts.insert(counts.end(), own.begin(), own.end());
    }
  }
  nb::dict result;
  result["lookups"] = std::move(of_lookups).arrays();
  result["total"] = std::move(all).arrays();
  result["slices"] = std::move(over_time).arrays();
  result["begins"] = array(std::move(begins));
  result["ends"] = array(std::move(ends));
  if (until) result["counts"] = rows(std::move(counts), kCounts);
  return result;
}

// What a part held in each stretch of time that its course is divided into, in bytes: when the
// first begins and at the end of each, and the most in each.
nb::tuple held(const BoundCounted& counted) {
  const Course* const course = counted.ledger().course();
  if (course == nullptr) refuse("a part has not kept its course");
  Amount begins;
  for (const Amount& of_lookup : course->begins) begins.add(of_lookup);
  std::vector<Bytes> ends{begins.bytes}, mosts;
  for (const Block& block : course->blocks) {
    ends.push_back(block.held.bytes);
    mosts.push_back(block.most.bytes);
  }
  return nb::make_tuple(array(std::move(ends)), array(std::move(mosts)));
}

}  // namespace

void bind_sum(nb::module_& m) {
  nb::class_<BoundCounted>(m, "Counted")
      .def("held", &held)
      .def_prop_ro("bytes", [](const BoundCounted& counted) { return counted.ledger().bytes(); });
  m.def("sum", &sum, "parts"_a, "lookups_of_parts"_a, "lookups"_a, "until"_a = nb::none());
}

}  // namespace vestigo::bind
