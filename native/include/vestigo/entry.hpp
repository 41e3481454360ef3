// vestigo/entry.hpp: all that a replay knows of one key, in one cache line.
#pragma once

#include <cstdint>

#include "numbers.hpp"

namespace vestigo {

// Why an entry is not there, in the order of docs/semantics.md section 3.
enum Cause : std::uint8_t {
#define VESTIGO_CAUSE(place, name) place,
#include "tally.def"
  kCauses
};

constexpr Time kGone = INT64_MIN;
constexpr Time kNoExpiry = INT64_MAX;

struct alignas(64) Entry {
  Time dies_at = kGone;      // when the first of its lifetimes ends, or kGone if no entry is held
  Time ages_at = kNoExpiry;  // when its absolute lifetime ends; for an entry that was taken, when
                             // it would have expired
  Time idle_since = 0;       // last hit, or when it came into the pool
  Time loaded_at = 0;        // when the load of the value began, or when it was written
  Bytes bytes = 0;           // size and overhead
  Id stretch = 0;            // the stretch in which the value was the truth (see Columns)
  Id before = kNone;         // neighbours in the policy's order, or itself if it is in none
  Id after = kNone;
  Id load = kNone;          // the name of the load that the entry records
  std::uint16_t group = 0;  // the look-up that the key belongs to
  Cause cause = kFirst;     // why it is not held, if it is not
  Cause would_expire =
      kFirst;              // for an entry that was taken, which lifetime would have ended first
  std::uint8_t state = 0;  // flags from below; nearly every key that is read and not found has 0
  static constexpr std::uint8_t kHeld = 1, kRecords = 2, kMoreLoads = 4, kDropMissed = 8;
  bool logged = false;  // whether its log is wanted (see witness/)

  bool held() const { return state & kHeld; }
  bool live(Time now) const { return now < dies_at; }

  // Why a key is not held. Once its entry would have expired, the expiry is the cause, whatever
  // took the entry before.
  Cause absence(Time now) const { return now < ages_at ? cause : would_expire; }

  // The entry goes. If something took it away, it remembers when it would have expired, and why.
  void vacate(Cause why, Cause expiry) {
    const bool taken = why == kEvicted || why == kDropped || why == kCleared || why == kRestarted;
    ages_at = taken ? dies_at : kNoExpiry;
    would_expire = expiry;
    unset(kHeld);
    dies_at = kGone;
    cause = why;
  }
  // A value that would have come in was not kept.
  void miss_out(Cause why) {
    ages_at = kNoExpiry;
    cause = why;
  }

  bool records() const { return state & kRecords; }       // a load under way
  bool more_loads() const { return state & kMoreLoads; }  // there are more loads (see loads.hpp)
  bool loading() const { return state & (kRecords | kMoreLoads); }
  bool drop_missed() const {
    return state & kDropMissed;
  }  // a drop arrived since the load that it records began
  void set(std::uint8_t states) { state |= states; }
  void unset(std::uint8_t states) { state &= static_cast<std::uint8_t>(~states); }

  // While no value is held, the entry can record a load: what it will store (stretch, bytes without
  // overhead) and when it began.
  void record(Id begun, Id truth, Bytes size, Time now) {
    state = kRecords;
    load = begun;
    stretch = truth;
    bytes = size;
    loaded_at = now;
  }
  void forget_load() {
    load = kNone;
    unset(kRecords | kDropMissed);
  }
};

static_assert(sizeof(Entry) == 64, "an entry is one cache line");

}  // namespace vestigo
