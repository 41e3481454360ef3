// vestigo/witness/key_rows.hpp: what is counted of each key, nearly all of it in one cache line.
#pragma once

#include <algorithm>
#include <array>
#include <limits>
#include <span>
#include <utility>
#include <vector>

#include "../id_map.hpp"
#include "../large_pages.hpp"
#include "../numbers.hpp"
#include "../tally.hpp"

namespace vestigo {

constexpr std::size_t kCommonCauses = kIdle + 1;

struct alignas(64) KeyRow {
  std::uint32_t hits = 0;
  std::uint32_t kept = 0;       // values that came in, and those that were there when counting began
  Bytes kept_bytes = 0;         // theirs
  std::uint32_t evictions = 0;
  std::array<std::uint32_t, kCommonCauses> misses{};
  Time origin_time = 0;
  std::int64_t held = 0, idle = 0;  // bytes x time; what does not fit is in the rare row
};
static_assert(sizeof(KeyRow) == 64, "a key's row is one cache line");

// What most keys have nothing of.
struct RareRow {
  std::uint32_t joined = 0, stale_hits = 0, ghosts = 0;
  std::int32_t more_loads = 0;  // than misses
  std::array<std::uint32_t, kCauses - kCommonCauses> misses{};
  Time oldest_stale = 0;
  Int128 held = 0, idle = 0;
};

class KeyRows {
 public:
  void want(std::size_t rows) { wanted_ = rows; }
  bool wanted() const { return wanted_ > 0; }

  // Counting begins at `now`. What happens before it is not counted.
  void begin(Time now) {
    rows_.resize(wanted_);
    begins_ = now;
  }
  bool counting() const { return !rows_.empty(); }

  void fetch(Id row) const { __builtin_prefetch(&rows_[static_cast<std::size_t>(row)], 1); }

  KeyRow& operator[](Id row) { return rows_[static_cast<std::size_t>(row)]; }
  RareRow& rare(Id row) {
    const auto [place, is_new] = place_of_rare_.insert(row);
    if (is_new) {
      *place = static_cast<Id>(rare_.size());
      rare_.emplace_back();
    }
    return rare_[static_cast<std::size_t>(*place)];
  }

  void miss(Id row, Cause cause) {
    if (cause < kCommonCauses) {
      ++(*this)[row].misses[cause];
    } else {
      ++rare(row).misses[cause - kCommonCauses];
    }
  }
  void stale_hit(Id row, Time age, bool null) {
    RareRow& own = rare(row);
    ++own.stale_hits;
    own.ghosts += null;
    own.oldest_stale = std::max(own.oldest_stale, age);
  }
  // What is held is summed as if it left when counting began (see Tally::hold).
  void keep(Id row, Bytes bytes, Time now) {
    KeyRow& own = (*this)[row];
    ++own.kept;
    own.kept_bytes += bytes;
    hold(row, -Int128{bytes} * (now - begins_));
  }
  void let_go(Id row, Bytes bytes, Time idle_since, Time now) {
    hold(row, Int128{bytes} * (now - begins_));
    idle(row, byte_time(bytes, now - std::max(idle_since, begins_)));
  }

  // Rows of entries become those of their keys, of which there are so many.
  void gather(std::span<const Id> entry_keys, std::size_t keys) {
    KeyRows gathered;
    gathered.want(keys);
    gathered.begin(begins_);
    for (std::size_t entry = 0; entry < rows_.size(); ++entry) gathered.add(entry_keys[entry], rows_[entry]);
    each_rare([&](Id entry, const RareRow& row) { gathered.add(entry_keys[static_cast<std::size_t>(entry)], row); });
    *this = std::move(gathered);
  }

  const LargeVector<KeyRow>& all() const { return rows_; }
  // Calls `visit(row, rare)` for each that there is.
  template <class Visit>
  void each_rare(Visit visit) const {
    place_of_rare_.each([&](Id row, Id place) { visit(row, rare_[static_cast<std::size_t>(place)]); });
  }

 private:
  static bool fits(Int128 sum) { return sum >= std::numeric_limits<std::int64_t>::min() && sum <= std::numeric_limits<std::int64_t>::max(); }

  void hold(Id row, Int128 more) {
    std::int64_t& held = (*this)[row].held;
    if (fits(held + more)) [[likely]] {
      held += static_cast<std::int64_t>(more);
    } else {
      rare(row).held += more;
    }
  }
  void idle(Id row, Int128 more) {
    std::int64_t& idle = (*this)[row].idle;
    if (fits(idle + more)) [[likely]] {
      idle += static_cast<std::int64_t>(more);
    } else {
      rare(row).idle += more;
    }
  }

  void add(Id row, const KeyRow& other) {
    KeyRow& own = (*this)[row];
    own.hits += other.hits;
    own.kept += other.kept;
    own.kept_bytes += other.kept_bytes;
    own.evictions += other.evictions;
    for (std::size_t cause = 0; cause < kCommonCauses; ++cause) own.misses[cause] += other.misses[cause];
    own.origin_time += other.origin_time;
    hold(row, other.held);
    idle(row, other.idle);
  }
  void add(Id row, const RareRow& other) {
    RareRow& own = rare(row);
    own.joined += other.joined;
    own.stale_hits += other.stale_hits;
    own.ghosts += other.ghosts;
    own.more_loads += other.more_loads;
    for (std::size_t cause = 0; cause < own.misses.size(); ++cause) own.misses[cause] += other.misses[cause];
    own.oldest_stale = std::max(own.oldest_stale, other.oldest_stale);
    own.held += other.held;
    own.idle += other.idle;
  }

  LargeVector<KeyRow> rows_;
  std::vector<RareRow> rare_;
  IdMap place_of_rare_;
  std::size_t wanted_ = 0;
  Time begins_ = 0;
};

}  // namespace vestigo
