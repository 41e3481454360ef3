// vestigo/rules.hpp: how one look-up is cached, as plain numbers, and what follows for one entry.
#pragma once

#include <algorithm>
#include <array>

#include "columns.hpp"
#include "entry.hpp"
#include "numbers.hpp"

namespace vestigo {

enum class Nulls : std::uint8_t { skip, keep, blind };
enum class OnWrite : std::uint8_t { leave, drop, replace };
enum class Overlap : std::uint8_t { repeat, join };
enum class Eviction : std::uint8_t { lru, fifo, mru, random, clock, sieve, lfu, lfu_da, lru_k, slru, two_q, arc, lirs, s3_fifo, w_tiny_lfu, gdsf, belady };
constexpr std::size_t kPolicies = static_cast<std::size_t>(Eviction::belady) + 1;

// Of the room that entries share, and who makes room in it.
struct PoolRules {
  std::int64_t max_entries = kNever;
  Bytes max_bytes = kNever;
  bool trims = false;                  // when it is full, so many entries stay at most, and so many bytes
  std::int64_t trim_entries = kNever;
  Bytes trim_bytes = kNever;
  bool refuses = false;                // when it is full, what comes is not kept
  Eviction eviction = Eviction::lru;
  std::array<std::int64_t, 3> eviction_numbers{};  // what the policy's parameters come to (see policy/)
};

struct Rules {  // what every read asks for comes first
  Time absolute = kNever;
  Time sliding = kNever;
  Time null_lifetime = kNever;
  Bytes entry_overhead = 0;
  Time jitter = 0;       // a load's own lifetime falls short of `absolute` by so much at most
  Nulls nulls = Nulls::skip;
  OnWrite on_write = OnWrite::leave;
  Overlap overlap = Overlap::repeat;
  bool drop_first = false;        // callers remove an entry before they read
  bool survives_restart = false;
  Time null_jitter = 0;  // as `jitter`, of `null_lifetime`
  Time hit_cost = 0;

  bool keeps(Id stretch) const { return !is_null(stretch) || nulls != Nulls::skip; }

  // The entry was asked for: its sliding lifetime begins anew.
  void use(Entry& entry, Time now) const { entry.dies_at = std::min(entry.ages_at, now + sliding); }

  // A null that the caller cannot tell from "not in the cache".
  bool hides(Id stretch) const { return is_null(stretch) && nulls == Nulls::blind; }
};

}  // namespace vestigo
