// vestigo/witness/key_rows.hpp: what is counted of each key, nearly all of it in one cache line.
#pragma once

#include <algorithm>
#include <array>
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
  std::uint32_t kept = 0;  // values that came in, and those that were there when counting began
  Bytes kept_bytes = 0;    // theirs
  std::uint32_t evictions = 0;
  std::array<std::uint32_t, kCommonCauses> misses{};
  Time origin_time = 0;
  std::int64_t held = 0, idle = 0;  // bytes x time; the part that does not fit is in the rare row
};
static_assert(sizeof(KeyRow) == 64, "a key's row is one cache line");

// Counts that are 0 for most keys.
struct RareRow {
  std::uint32_t joined = 0, failed = 0, stale_hits = 0, false_nulls = 0;
  std::int32_t more_loads = 0;  // than misses
  std::array<std::uint32_t, kCauses - kCommonCauses> misses{};
  Time oldest_stale = 0;
  Int128 held = 0, idle = 0;
};

class KeyRows {
 public:
  void want(std::size_t rows) { wanted_ = rows; }
  bool wanted() const { return wanted_ > 0; }

  // Counting begins at `now`. Earlier events are not counted.
  void begin(Time now) {
    rows_.resize(wanted_);
    begins_ = now;
  }
  bool counting() const { return !rows_.empty(); }

  void fetch(Id row) const { __builtin_prefetch(&rows_[index(row)], 1); }

  KeyRow& operator[](Id row) { return rows_[index(row)]; }
  RareRow& rare(Id row) {
    const auto [place, is_new] = place_of_rare_.insert(row);
    if (is_new) {
      *place = static_cast<Id>(rare_.size());
      rare_.emplace_back();
    }
    return rare_[index(*place)];
  }

  void miss(Id row, Cause cause) {
    if (cause < kCommonCauses) {
      ++(*this)[row].misses[cause];
    } else {
      ++rare(row).misses[cause - kCommonCauses];
    }
  }
  // Costs are bounded, but what an origin makes of them is not.
  void add_origin_time(Id row, Time more) {
    Time& sum = (*this)[row].origin_time;
    if (__builtin_add_overflow(sum, more, &sum)) [[unlikely]]
      sum = INT64_MAX;
  }
  void stale_hit(Id row, Time age, bool null) {
    RareRow& own = rare(row);
    ++own.stale_hits;
    own.false_nulls += null;
    own.oldest_stale = std::max(own.oldest_stale, age);
  }
  // What is held is summed as if it left when counting began (see Tally::hold).
  void keep(Id row, Bytes bytes, Time now) {
    KeyRow& own = (*this)[row];
    ++own.kept;
    own.kept_bytes += bytes;
    add(own.held, row, &RareRow::held, -bytes, now - begins_);
  }
  // Which entry is evicted is known too late to fetch its row. So its sums are added a little
  // later, when the row has arrived from memory.
  void let_go(Id row, Bytes bytes, Time idle_since, Time now, bool evicted) {
    fetch(row);
    Leaving& place = leaving_[next_leaving_++ % leaving_.size()];
    settle(place);
    place = {row, evicted, bytes, idle_since, now};
  }
  // Nothing more happens.
  void settle() {
    for (Leaving& one : leaving_) settle(one);
  }

  // Adds up the rows of entries as rows of their keys.
  void gather(std::span<const Id> entry_keys, std::size_t keys) {
    KeyRows gathered;
    gathered.want(keys);
    gathered.begin(begins_);
    for (std::size_t entry = 0; entry < rows_.size(); ++entry)
      gathered.add(entry_keys[entry], rows_[entry]);
    each_rare([&](Id entry, const RareRow& row) { gathered.add(entry_keys[index(entry)], row); });
    *this = std::move(gathered);
  }

  LargeVector<KeyRow> take() { return std::move(rows_); }
  // Calls `visit(row, rare)` for each rare row that exists.
  template <class Visit>
  void each_rare(Visit visit) const {
    place_of_rare_.each([&](Id row, Id place) { visit(row, rare_[index(place)]); });
  }

 private:
  struct Leaving {
    Id row = kNone;
    bool evicted = false;
    Bytes bytes = 0;
    Time idle_since = 0, at = 0;
  };

  void settle(Leaving& one) {
    if (one.row == kNone) return;
    KeyRow& own = (*this)[one.row];
    own.evictions += one.evicted;
    add(own.held, one.row, &RareRow::held, one.bytes, one.at - begins_);
    add(own.idle, one.row, &RareRow::idle, one.bytes, one.at - std::max(one.idle_since, begins_));
    one.row = kNone;
  }

  void add(std::int64_t& sum, Id row, Int128 RareRow::* rest, Bytes bytes, Time span) {
    std::int64_t more, fits;
    if (__builtin_mul_overflow(bytes, span, &more) || __builtin_add_overflow(sum, more, &fits))
        [[unlikely]] {
      rare(row).*rest += Int128{bytes} * span;
    } else {
      sum = fits;
    }
  }

  void add(Id row, const KeyRow& other) {
    KeyRow& own = (*this)[row];
    own.hits += other.hits;
    own.kept += other.kept;
    own.kept_bytes += other.kept_bytes;
    own.evictions += other.evictions;
    for (std::size_t cause = 0; cause < kCommonCauses; ++cause)
      own.misses[cause] += other.misses[cause];
    own.origin_time += other.origin_time;
    add(own.held, row, &RareRow::held, other.held, 1);
    add(own.idle, row, &RareRow::idle, other.idle, 1);
  }
  void add(Id row, const RareRow& other) {
    RareRow& own = rare(row);
    own.joined += other.joined;
    own.failed += other.failed;
    own.stale_hits += other.stale_hits;
    own.false_nulls += other.false_nulls;
    own.more_loads += other.more_loads;
    for (std::size_t cause = 0; cause < own.misses.size(); ++cause)
      own.misses[cause] += other.misses[cause];
    own.oldest_stale = std::max(own.oldest_stale, other.oldest_stale);
    own.held += other.held;
    own.idle += other.idle;
  }

  LargeVector<KeyRow> rows_;
  std::vector<RareRow> rare_;
  IdMap place_of_rare_;
  std::array<Leaving, 16> leaving_;
  std::uint32_t next_leaving_ = 0;
  std::size_t wanted_ = 0;
  Time begins_ = 0;
};

}  // namespace vestigo
