// vestigo/fetch.hpp: fetches the memory that later events will touch, while an earlier one is
// replayed.
//
// Columns come first, then the entries of their keys, then the neighbours of the entries in the
// policy's order. All are fetched by blocks, except that entries are fetched one for each event
// where loads take time. This, and how far ahead to fetch, were found by measuring. Inlining is
// forced, because the compiler takes a function that only fetches for one without effect.
#pragma once

#include <algorithm>

#include "columns.hpp"
#include "entries.hpp"
#include "policy/room.hpp"

namespace vestigo {

constexpr std::size_t kBlock = 8;                  // events: a cache line of the widest columns
constexpr std::size_t kFetchEntries = 4 * kBlock;  // how many events ahead
constexpr std::size_t kFetchAhead = 9 * kBlock;

[[gnu::always_inline]] inline void fetch_columns(const Columns& columns, std::size_t far) {
  __builtin_prefetch(&columns.at[far]);
  __builtin_prefetch(&columns.size[far]);
  __builtin_prefetch(&columns.cost[far]);
  __builtin_prefetch(&columns.key[far]);
  __builtin_prefetch(&columns.value[far]);
  __builtin_prefetch(&columns.mark[far]);
}

template <bool neighbours, bool entries_too>
[[gnu::always_inline]] inline void fetch_ahead(const Columns& columns, const Entries& entries,
                                               std::size_t block) {
  const std::size_t near = block + 2 * kBlock;
  fetch_columns(columns, block + kFetchAhead - kBlock);
  if constexpr (entries_too) {
    const std::size_t middle = block + kFetchEntries;
    for (std::size_t i = middle; i < middle + kBlock; ++i)
      __builtin_prefetch(&entries[columns.key[i]], 1);
  }
  if constexpr (neighbours) {
    for (std::size_t i = near; i < near + kBlock; ++i) {
      const Entry& soon = entries[columns.key[i]];  // an entry in no order is its own neighbour
      __builtin_prefetch(&entries[soon.before], 1);
      __builtin_prefetch(&entries[soon.after], 1);
    }
  }
}

// The same for the notes of policies.
[[gnu::always_inline]] inline void fetch_notes(const Columns& columns, const policy::Notes& notes,
                                               std::size_t block) {
  if (notes.data() == nullptr) return;  // no policy keeps notes
  for (std::size_t i = block + 2 * kBlock; i < block + 3 * kBlock; ++i)
    __builtin_prefetch(&notes.data()[columns.key[i]], 1);
}

// The same for the ends of loads behind the one at `next`.
[[gnu::always_inline]] inline void fetch_ends(const Ends& ends, std::size_t next) {
  const std::size_t soon = std::min(next + 4 * kBlock, ends.count);
  __builtin_prefetch(&ends.at[soon]);
  __builtin_prefetch(&ends.key[soon]);
}

}  // namespace vestigo
