// bind/kernel.cpp: the kernel as a Python module: the names of what it counts, then its classes,
// each of which has its own file.
#include <nanobind/nanobind.h>
#include <nanobind/stl/optional.h>

#include "columns.hpp"
#include "rules.hpp"
#include "settings.hpp"
#include "vestigo/tally.hpp"

namespace nb = nanobind;
using namespace nb::literals;

namespace vestigo::bind {

void bind_curve(nb::module_& m);      // curve.cpp
void bind_numbering(nb::module_& m);  // numbering.cpp
void bind_replay(nb::module_& m);     // replay.cpp
void bind_stays(nb::module_& m);      // stays.cpp
void bind_sum(nb::module_& m);        // sum.cpp

namespace {

template <std::size_t count>
nb::tuple names(const std::array<const char*, count>& each) {
  nb::list found;
  for (const char* const name : each) found.append(name);
  return nb::tuple(found);
}

void bind_names(nb::module_& m) {
  m.attr("POLICIES") = names(kPolicyNames);
  m.attr("CAUSES") = names(std::array{
#define VESTIGO_CAUSE(place, name) #name,
#include "vestigo/tally.def"
  });
  m.attr("COUNTS") = names(std::array{
#define VESTIGO_COUNT(place, name) #name,
#include "vestigo/tally.def"
  });
  m.attr("SUMS") = names(std::array{
#define VESTIGO_SUM(place, name) #name,
#include "vestigo/tally.def"
  });
  m.attr("MOSTS") = names(std::array{
#define VESTIGO_MOST(name, in_tally) #name,
#include "vestigo/tally.def"
  });
  m.attr("SPANS") = names(std::array{
#define VESTIGO_SPANS(place, name) #name,
#include "vestigo/tally.def"
  });
  m.attr("HAPPENINGS") = names(std::array{
#define VESTIGO_HAPPENING(place, name) #name,
#include "vestigo/witness/happenings.def"
  });
}

void bind_columns(nb::module_& m) {
  nb::class_<BoundTruth>(m, "Truth")
      .def(nb::init<std::size_t, bool>(), "keys"_a, "unnamed_writes"_a)
      .def("see", &BoundTruth::see, "at"_a.noconvert(), "mark"_a.noconvert(), "key"_a.noconvert(),
           "version"_a.noconvert(), "found"_a.noconvert())
      .def("values", &BoundTruth::values);

  nb::class_<BoundColumns>(m, "Columns")
      .def(nb::init<Column<Time>, Column<Id>, Column<Id>, Column<Id>, Column<std::uint8_t>,
                    Column<Bytes>, Column<Time>, Column<Id>, Column<Id>, std::size_t, nb::object,
                    const BoundColumns*, std::int64_t, std::optional<Column<Id>>>(),
           "at"_a.noconvert(), "key"_a.noconvert(), "value"_a.noconvert(), "stretch"_a.noconvert(),
           "mark"_a.noconvert(), "size"_a.noconvert(), "cost"_a.noconvert(), "node"_a.noconvert(),
           "scope"_a.noconvert(), "keys"_a, "truth"_a, "before"_a = nb::none(), "first_row"_a = 0,
           "rows"_a.noconvert() = nb::none())
      .def_prop_ro("events", &BoundColumns::events);
}

}  // namespace

NB_MODULE(kernel, m) {
  m.doc() = "The replay kernel, for vestigo.prepared and vestigo.engine.";
  nb::set_leak_warnings(false);  // objects that are kept with a trace live until the process ends
  bind_names(m);
  bind_rules(m);
  bind_columns(m);
  bind_numbering(m);
  bind_stays(m);
  bind_settings(m);
  bind_sum(m);
  bind_replay(m);
  bind_curve(m);
}

}  // namespace vestigo::bind
