// vestigo/rules.hpp: how one look-up is cached, as plain numbers, and what follows for one entry.
#pragma once

#include <algorithm>

#include "entry.hpp"
#include "numbers.hpp"

namespace vestigo {

enum class Nulls : std::uint8_t { skip, keep, blind };
enum class OnWrite : std::uint8_t { leave, drop, replace };
enum class Overlap : std::uint8_t { repeat, join };
enum class Eviction : std::uint8_t { lru, fifo };

struct Rules {
  std::int64_t max_entries = kNever;
  Bytes max_bytes = kNever;
  Time absolute = kNever;
  Time sliding = kNever;
  Time null_lifetime = kNever;
  Bytes entry_overhead = 0;
  Time hit_cost = 0;
  Nulls nulls = Nulls::skip;
  OnWrite on_write = OnWrite::leave;
  Overlap overlap = Overlap::repeat;
  Eviction eviction = Eviction::lru;

  bool keeps(Id value) const { return value != kNullValue || nulls != Nulls::skip; }

  // The entry was asked for: its sliding lifetime begins anew.
  void use(Entry& entry, Time now) const { entry.dies_at = std::min(entry.ages_at, now + sliding); }

  // A live null that the caller cannot tell from "not in the cache".
  bool hides(const Entry& entry) const { return entry.value == kNullValue && nulls == Nulls::blind; }
};

}  // namespace vestigo
