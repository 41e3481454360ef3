// bind/numbering.cpp: the numbering of keys on nodes as a Python class (see vestigo/numbering.hpp),
// and rows in the order of such numbers.
#include "vestigo/numbering.hpp"

#include "array.hpp"

namespace vestigo::bind {
namespace {

using namespace nb::literals;

// Numbers keys on nodes, batch by batch.
class BoundNumbering {
 public:
  explicit BoundNumbering(std::size_t keys) : count_(keys), numbering_(keys) {}

  // The ids of the next rows. `loads` says which of them read or preload their key.
  Array<Id> number(Column<Id> key, Column<Id> node, Column<std::uint8_t> loads) {
    if (key.size() != node.size() || key.size() != loads.size()) refuse("columns differ in length");
    for (const Id id : view(key)) {
      if (id < 0 || static_cast<std::size_t>(id) >= count_) refuse("a key is out of range");
    }
    const std::size_t events = key.size(), ahead = 16;
    std::vector<Id> ids(events);
    {
      nb::gil_scoped_release released;
      for (std::size_t i = 0; i < events; ++i) {
        if (i + ahead < events) numbering_.fetch(key(i + ahead), node(i + ahead));
        ids[i] = numbering_.number(key(i), node(i), loads(i) != 0);
      }
    }
    return array(std::move(ids));
  }
  Array<Id> keys() const { return array(std::vector(numbering_.keys())); }
  Array<Id> nodes() const { return array(std::vector(numbering_.nodes())); }
  Array<std::uint8_t> is_first() const { return array(std::vector(numbering_.is_first())); }

 private:
  std::size_t count_;
  Numbering numbering_;
};

// The places of all elements, ordered by group, and as they come within each: a radix sort, so that
// most of what is written lies near what was written before.
Array<std::int64_t> by_group(Column<Id> group, std::size_t groups) {
  if (group.size() > UINT32_MAX || groups > std::size_t{1} << 31)
    refuse("more than 2^32 elements, or 2^31 groups");
  std::vector<std::int64_t> places(group.size());
  {
    const nb::gil_scoped_release released;
    std::vector<std::uint64_t> pairs(group.size()), sorted(group.size());  // group, place
    for (std::size_t i = 0; i < group.size(); ++i) {
      if (group(i) < 0 || static_cast<std::size_t>(group(i)) >= groups)
        refuse("a group is out of range");
      pairs[i] = static_cast<std::uint64_t>(group(i)) << 32 | i;
    }
    constexpr int kDigit = 11;
    for (int digit = 0; groups > 1 && (groups - 1) >> digit > 0; digit += kDigit) {
      const auto bucket = [=](std::uint64_t pair) {
        return static_cast<std::size_t>(pair >> (32 + digit)) & ((std::size_t{1} << kDigit) - 1);
      };
      std::vector<std::size_t> begins((std::size_t{1} << kDigit) + 1);
      for (const std::uint64_t pair : pairs) ++begins[bucket(pair) + 1];
      for (std::size_t i = 1; i < begins.size(); ++i) begins[i] += begins[i - 1];
      for (const std::uint64_t pair : pairs) sorted[begins[bucket(pair)]++] = pair;
      pairs.swap(sorted);
    }
    for (std::size_t i = 0; i < pairs.size(); ++i)
      places[i] = static_cast<std::int64_t>(pairs[i] & UINT32_MAX);
  }
  return array(std::move(places));
}

}  // namespace

void bind_numbering(nb::module_& m) {
  m.def("by_group", &by_group, "group"_a.noconvert(), "groups"_a);

  nb::class_<BoundNumbering>(m, "Numbering")
      .def(nb::init<std::size_t>(), "keys"_a)
      .def("number", &BoundNumbering::number, "key"_a.noconvert(), "node"_a.noconvert(),
           "loads"_a.noconvert())
      .def("is_first", &BoundNumbering::is_first)
      .def("keys", &BoundNumbering::keys)
      .def("nodes", &BoundNumbering::nodes);
}

}  // namespace vestigo::bind
