// bind/truth.hpp: the truth of a trace as a Python class, batch by batch (see vestigo/truth.hpp).
#pragma once

#include <nanobind/stl/tuple.h>

#include "array.hpp"
#include "vestigo/truth.hpp"

namespace vestigo::bind {

class BoundTruth {
 public:
  BoundTruth(std::size_t keys, bool unnamed_writes) : keys_(keys), truth_(keys, unnamed_writes) {}

  // (value, stretch, rows that only name a value, names) of the next rows.
  std::tuple<Array<Id>, Array<Id>, Array<std::uint8_t>, Rows<Id>> see(Column<Time> at,
                                                                      Column<std::uint8_t> mark,
                                                                      Column<Id> key,
                                                                      Column<Id> version,
                                                                      Column<std::int8_t> found) {
    const std::size_t events = mark.size();
    if (at.size() != events || key.size() != events || version.size() != events ||
        found.size() != events)
      refuse("columns differ in length");
    for (const Id id : view(key)) {
      if (id < 0 || static_cast<std::size_t>(id) >= keys_) refuse("a key is out of range");
    }
    if (events > truth_.left()) refuse("more than 2^31 values, or values without a version");
    std::vector<Id> values(events, kUnseen), stretches(events, 0);
    std::vector<std::uint8_t> only_names(events, 0);
    {
      nb::gil_scoped_release released;
      for (std::size_t i = 0; i < events; ++i) {
        if (i + kAhead < events) truth_.fetch(key(i + kAhead));
        const auto op = static_cast<std::uint8_t>(mark(i) & kOp);
        if (op != kRead && op != kWrite && op != kPreload) continue;
        const auto seen = truth_.see({.at = at(i),
                                      .mark = op == kWrite ? kWrite : kRead,
                                      .key = key(i),
                                      .version = version(i),
                                      .found = found(i)});
        values[i] = seen.value;
        stretches[i] = seen.stretch;
        only_names[i] = seen.names;
      }
    }
    std::vector<Id> names;
    for (const auto& [unnamed, name] : truth_.take_names()) {
      names.push_back(unnamed);
      names.push_back(name);
    }
    return {array(std::move(values)), array(std::move(stretches)), array(std::move(only_names)),
            rows(std::move(names), 2)};
  }

  // The value of each stretch so far, by the name that it has in the end.
  Array<Id> values() const {
    const Id* const values = truth_.stretches().values;
    return array(std::vector<Id>(values, values + truth_.count()));
  }

  Stretches stretches() const { return truth_.stretches(); }
  std::size_t count() const { return truth_.count(); }

 private:
  static constexpr std::size_t kAhead = 16;

  std::size_t keys_;
  Truth truth_;
};

}  // namespace vestigo::bind
