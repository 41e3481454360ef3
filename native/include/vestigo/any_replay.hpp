// vestigo/any_replay.hpp: runs a whole trace through the replay that fits its rules.
//
// This is where a policy's name becomes a type: a new policy is added to `run` below.
#pragma once

#include <algorithm>
#include <span>
#include <utility>

#include "policy/any.hpp"
#include "policy/fifo.hpp"
#include "policy/lru.hpp"
#include "replay.hpp"

namespace vestigo {

struct Run {
  std::size_t first_counted = 0;  // the first event after the warm-up
  bool instant = false;           // loads end when they begin, whatever they cost (a ceiling's rule)
};

template <class Policy, bool timed>
Ledger run_as(const Columns& columns, std::span<const Id> key_rooms, std::span<const Rules> rules, Run how, Slices slices) {
  Replay<Policy, timed> replay(rules, key_rooms, std::move(slices));
  if (how.first_counted < columns.events) {
    const Time start = columns.at[how.first_counted], end = columns.at[columns.events - 1];
    replay.feed(columns, 0, how.first_counted);
    replay.catch_up(columns, start);
    replay.count_from(start);
    replay.feed(columns, how.first_counted, columns.events);
    replay.close(end);
  }
  return replay.ledger();
}

template <class Policy>
Ledger run_as(const Columns& columns, std::span<const Id> key_rooms, std::span<const Rules> rules, Run how, Slices slices) {
  const bool timed = !how.instant && columns.ends.count > 0;
  return timed ? run_as<Policy, true>(columns, key_rooms, rules, how, std::move(slices))
               : run_as<Policy, false>(columns, key_rooms, rules, how, std::move(slices));
}

inline Ledger run(const Columns& columns, std::span<const Id> key_rooms, std::span<const Rules> rules, Run how, Slices slices) {
  const auto all = [rules](Eviction eviction) {
    return std::all_of(rules.begin(), rules.end(), [eviction](const Rules& one) { return one.eviction == eviction; });
  };
  if (all(Eviction::lru)) return run_as<policy::Lru>(columns, key_rooms, rules, how, std::move(slices));
  if (all(Eviction::fifo)) return run_as<policy::Fifo>(columns, key_rooms, rules, how, std::move(slices));
  return run_as<policy::Any>(columns, key_rooms, rules, how, std::move(slices));
}

}  // namespace vestigo
