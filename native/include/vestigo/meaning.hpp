// vestigo/meaning.hpp: what the plain and the full replay decide in the same way, from numbers
// alone. docs/semantics.md, section 3.
#pragma once

#include <algorithm>

#include "draw.hpp"
#include "rules.hpp"

namespace vestigo {

constexpr Time kNotLoaded = -1;  // the cost of a written value, for policies

// Lifetimes

// When the lifetimes of a value begin: when it is stored, or when its load began.
inline Time lives_from(const Rules& rules, Time loaded_at, Time stored_at) {
  return rules.lifetime_from == LifetimeFrom::stored ? stored_at : loaded_at;
}

inline Time longest_lifetime(const Rules& rules, bool null) {
  return null ? rules.null_lifetime : rules.absolute;
}

inline bool lifetimes_vary(const Rules& rules) {
  return rules.jitter > 0;
}  // the lifetimes of nulls vary only then, too

// By how much the lifetime of a key's value falls short, of which `number` were kept before in the
// compartment.
inline Time shortfall(const Rules& rules, bool null, Id key, Id compartment, std::uint64_t number) {
  const Time most = null ? rules.null_jitter : rules.jitter;
  return most == 0 ? 0 : draw_shortfall(key, compartment, number, most);
}

// How much of a lifetime is over when a hit reloads the entry, if one does.
inline Time share_of(Time lifetime, const ValueRules& rules) {
  return static_cast<Time>(Int128{lifetime} * rules.reload_of / rules.reload_to);
}

// Which lifetime ended first. If several ended at the same moment, the one that is listed first.
inline Cause expiry(Time dies_at, Time ages_at, Time idles_at) {
  return dies_at == ages_at ? kAged : dies_at == idles_at ? kIdle : kFixedTime;
}

// What is kept

inline bool passes(const ValueRules& rules, Bytes size, Time cost) {
  return size >= rules.least_size && size <= rules.most_size && cost >= rules.least_cost &&
         cost <= rules.most_cost;
}

// Whether a value of `bytes` bytes, with overhead, does not fit beside what is held. The arguments
// are references, so that a pool full of entries is recognised before its bytes are read. Most
// misses ask this first.
[[gnu::always_inline]] inline bool is_full_for(const PoolRules& limits, const std::int64_t& entries,
                                               const Bytes& held, Bytes bytes) {
  return entries >= limits.max_entries || held + bytes > limits.max_bytes;
}

// Whether more must go before a value comes in. `frees` means that the pool was full when the value
// came, and so frees a share of its limits.
inline bool makes_way(const PoolRules& limits, bool frees, std::int64_t entries, Bytes held,
                      Bytes bytes) {
  return is_full_for(limits, entries, held, bytes) ||
         (frees && (entries > limits.stay_entries || held > limits.stay_bytes));
}

// Reads and writes

inline Time hit_time(Time cost, Time cost_per_kib, Bytes size) {
  return cost + static_cast<Time>(std::min<Int128>(Int128{size} * cost_per_kib / 1024, kMostCost));
}

// The cause of a miss. `own` is why the entry is not there. `repeats` means that a load is under
// way which the read does not join.
inline Cause miss_cause(bool forced, bool repeats, Cause own) {
  return repeats ? kLoading : forced ? kForcedMiss : own;
}

enum class WriteDoes : std::uint8_t { nothing, drop, put };

// What a write does to the entry of its key. A null that is not kept removes the entry.
inline WriteDoes write_does(const Rules& rules, Id stretch) {
  if (rules.on_write == OnWrite::leave) return WriteDoes::nothing;
  return rules.on_write == OnWrite::replace && rules.keeps(stretch) ? WriteDoes::put
                                                                    : WriteDoes::drop;
}

}  // namespace vestigo
