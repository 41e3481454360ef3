// vestigo/entry.hpp: all that a replay knows of one key, in one cache line.
#pragma once

#include <cstdint>

#include "numbers.hpp"

namespace vestigo {

// Why an entry is not there, in the order of docs/semantics.md section 3.
enum Cause : std::uint8_t {
  kFirst, kEvicted, kAged, kIdle, kDropped, kCleared, kRestarted, kNull, kRefused, kForcedMiss, kLoading,
  kCauses
};

constexpr Time kGone = INT64_MIN;

struct alignas(64) Entry {
  Time ages_at = kGone;       // when its absolute lifetime ends; kGone: no entry is held
  Time used_at = 0;           // last hit, or the moment of the read that loaded it
  Time stored_at = 0;         // when it came into the pool
  Time changed_at = kNever;   // first change of the truth after the load
  Bytes bytes = 0;            // size and overhead
  Id value = kUnseen;         // what is kept
  Id truth = kUnseen;         // what the origin has now
  Id before = kNone;          // neighbours in the policy's order
  Id after = kNone;
  Id load = kNone;            // the read that began the load under way, where the entry itself is its record
  std::uint16_t room = 0;     // the look-up that the key belongs to
  Cause cause = kFirst;       // why it is not held, where it is not
  bool raced : 1 = false;      // a drop arrived since `load` began
  bool more_loads : 1 = false; // there are others under way (see loads.hpp)

  bool held() const { return ages_at != kGone; }
  bool loading() const { return load != kNone || more_loads; }
};

static_assert(sizeof(Entry) == 64, "an entry is one cache line");

}  // namespace vestigo
