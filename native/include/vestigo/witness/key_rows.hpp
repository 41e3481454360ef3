// vestigo/witness/key_rows.hpp: what is counted of each key.
#pragma once

#include <algorithm>
#include <array>
#include <span>
#include <utility>

#include "../large_pages.hpp"
#include "../numbers.hpp"
#include "../tally.hpp"

namespace vestigo {

// Under the names that Python has for it (engine/native/watched.py).
#define VESTIGO_KEY_COUNTS(each) each(hits) each(joined) each(stale_hits) each(ghosts) each(loads) each(evictions) each(kept)
#define VESTIGO_KEY_AMOUNTS(each) each(origin_time_ns) each(oldest_stale_ns) each(kept_bytes)
#define VESTIGO_KEY_SUMS(each) each(held_byte_ns) each(idle_byte_ns)

struct KeyRow {
  // `kept`: values that came in, and those that were there when counting began; `kept_bytes` are theirs.
#define VESTIGO_MEMBER(name) std::uint32_t name = 0;
  VESTIGO_KEY_COUNTS(VESTIGO_MEMBER)
#undef VESTIGO_MEMBER
  std::array<std::uint32_t, kCauses> misses{};
#define VESTIGO_MEMBER(name) std::int64_t name = 0;
  VESTIGO_KEY_AMOUNTS(VESTIGO_MEMBER)
#undef VESTIGO_MEMBER
  // What is held is summed as if it left at the beginning of all times (see Tally::hold); of this, what is idle.
#define VESTIGO_MEMBER(name) Int128 name = 0;
  VESTIGO_KEY_SUMS(VESTIGO_MEMBER)
#undef VESTIGO_MEMBER

  void keep(Bytes bytes, Time now) {
    ++kept;
    kept_bytes += bytes;
    held_byte_ns -= Int128{bytes} * now;
  }
  void let_go(Bytes bytes, Time idle_since, Time now) {
    held_byte_ns += Int128{bytes} * now;
    idle_byte_ns += byte_time(bytes, now - idle_since);
  }
  void add(const KeyRow& other) {
#define VESTIGO_MEMBER(name) name += other.name;
    VESTIGO_KEY_COUNTS(VESTIGO_MEMBER)
    VESTIGO_KEY_SUMS(VESTIGO_MEMBER)
#undef VESTIGO_MEMBER
    for (std::size_t cause = 0; cause < kCauses; ++cause) misses[cause] += other.misses[cause];
    origin_time_ns += other.origin_time_ns;
    kept_bytes += other.kept_bytes;
    oldest_stale_ns = std::max(oldest_stale_ns, other.oldest_stale_ns);
  }
};

class KeyRows {
 public:
  void resize(std::size_t rows) { rows_.resize(rows); }
  bool empty() const { return rows_.empty(); }
  KeyRow& operator[](Id row) { return rows_[static_cast<std::size_t>(row)]; }
  const LargeVector<KeyRow>& all() const { return rows_; }

  // Rows of entries become those of their keys, of which there are so many.
  void gather(std::span<const Id> entry_keys, std::size_t keys) {
    LargeVector<KeyRow> gathered(keys);
    for (std::size_t entry = 0; entry < rows_.size(); ++entry) gathered[static_cast<std::size_t>(entry_keys[entry])].add(rows_[entry]);
    rows_ = std::move(gathered);
  }

  // The warm-up is over.
  void forget() { std::fill(rows_.begin(), rows_.end(), KeyRow{}); }

  void fetch(Id row) const {
    const KeyRow* const one = &rows_[static_cast<std::size_t>(row)];
    __builtin_prefetch(one, 1);
    __builtin_prefetch(reinterpret_cast<const char*>(one) + 64, 1);
  }

 private:
  LargeVector<KeyRow> rows_;
};

}  // namespace vestigo
