// vestigo/stays.hpp: for how many rows an entry is held at least, so that a read finds it. This is
// what ceiling (c) of docs/semantics.md, section 4, adds up.
#pragma once

#include <algorithm>
#include <span>

#include "id_map.hpp"

namespace vestigo {

// An event of a key in one compartment.
struct Coming {
  Id key = 0;
  Id owner = 0;          // whose compartment it is
  std::int64_t row = 0;  // in the trace
  Time comes = 0;        // when the value that it loads or writes can be there at the latest
};

class Stays {
 public:
  // `at` has the times of all rows of the trace.
  explicit Stays(std::span<const Time> at) : at_(at) {}

  // Fetches what an event will touch.
  void fetch(Id key, Id owner) const { held_.fetch(pair(key, owner)); }

  // The last row before which the entry can have come in for an event, by the events before it in
  // the same compartment. Negative if there was none. Events come in the order of their rows.
  std::int64_t see(const Coming& event) {
    const auto [held, is_new] = held_.insert(pair(event.key, event.owner));
    const std::int64_t since = is_new ? -1 : *held;
    *held = std::max({since, event.row, row_of(event)});
    return since;
  }

 private:
  static std::uint64_t pair(Id key, Id owner) {
    return static_cast<std::uint64_t>(key) << 32 | static_cast<std::uint32_t>(owner);
  }

  // The first row that is not before the moment at which the value comes. It is near the event's
  // own, so steps double from there.
  std::int64_t row_of(const Coming& event) const {
    std::size_t from = static_cast<std::size_t>(event.row), step = 1;
    while (from + step < at_.size() && at_[from + step] < event.comes) {
      from += step;
      step *= 2;
    }
    std::size_t left = std::min(step, at_.size() - from);
    while (left > 1) {  // without branches that nobody can predict
      const std::size_t half = left / 2;
      from = at_[from + half - 1] < event.comes ? from + half : from;
      left -= half;
    }
    return static_cast<std::int64_t>(from + (at_[from] < event.comes));
  }

  std::span<const Time> at_;
  Map<std::uint64_t, std::int64_t> held_;
};

}  // namespace vestigo
