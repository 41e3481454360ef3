// vestigo/tally.hpp: what is counted of one look-up.
#pragma once

#include <algorithm>
#include <array>

#include "entry.hpp"
#include "histogram.hpp"
#include "numbers.hpp"

namespace vestigo {

// Counts by place in an array. The misses of each Cause come first, then these.
enum Count : std::size_t {
  kHits = kCauses, kJoined, kStaleHits, kJoinedStale, kGhosts, kNullsRead, kNullsHit,
  kLoads, kEvictions, kExpirations, kDrops, kClears, kRefusals, kRaced,
  kStored, kSuperseded, kLost,  // entries placed, given up for a later value, lost in a restart
  kBytesHit, kBytesMissed,      // bytes given to readers by a hit; by a load, their own or a joined one
  kCounts
};
using Counts = std::array<std::int64_t, kCounts>;

// Sums that may pass 64 bits: of loads' costs, of all reads' times, of stale ages; bytes x time held, and
// held after the last hit.
enum Sum : std::size_t { kOriginTime, kReadTime, kStaleAge, kHeld, kIdleHeld, kSums };
using Sums = std::array<Int128, kSums>;

// A number that is added up elsewhere, by clock second and minute: the most that one of them saw.
class Surge {
 public:
  Surge() = default;
  explicit Surge(std::int64_t sum) : second_base_(sum), minute_base_(sum) {}

  // Before the number grows at `now`; `sum` is what it is.
  void see(Time now, std::int64_t sum) {
    if (now >= second_ends_) [[unlikely]] turn(now, sum);
  }
  // After the last one.
  void close(std::int64_t sum) {
    second_ = std::max(second_, sum - second_base_);
    minute_ = std::max(minute_, sum - minute_base_);
  }
  std::int64_t second() const { return second_; }
  std::int64_t minute() const { return minute_; }

 private:
  static constexpr Time kSecond = 1'000'000'000, kMinute = 60 * kSecond;
  static Time end(Time now, Time width) { return now - (now % width + width) % width + width; }

  [[gnu::noinline]] void turn(Time now, std::int64_t sum) {
    second_ = std::max(second_, sum - second_base_);
    second_base_ = sum;
    second_ends_ = end(now, kSecond);
    if (now < minute_ends_) return;
    minute_ = std::max(minute_, sum - minute_base_);
    minute_base_ = sum;
    minute_ends_ = end(now, kMinute);
  }

  Time second_ends_ = kGone, minute_ends_ = kGone;
  std::int64_t second_base_ = 0, minute_base_ = 0, second_ = 0, minute_ = 0;
};

// Entries and bytes held now, and their peaks.
struct Level {
  std::int64_t entries = 0, entries_peak = 0;
  Bytes bytes = 0, bytes_peak = 0;

  void change(std::int64_t more_entries, Bytes more_bytes) {
    entries += more_entries;
    bytes += more_bytes;
    entries_peak = std::max(entries_peak, entries);
    bytes_peak = std::max(bytes_peak, bytes);
  }
  void peaks_from_now() {
    entries_peak = entries;
    bytes_peak = bytes;
  }
};

struct Tally {
  Counts counts{};
  Sums sums{};
  Level held;
  Time held_since = 0;  // up to when kHeld is summed
  Time longest_read = 0, oldest_stale = 0;
  Surge surge;
  Histogram read_times, stale_ages;

  void settle(Time now) {
    sums[kHeld] += Int128{held.bytes} * (now - held_since);
    held_since = now;
  }
  // A hit always takes the same time, so that hits are added in bulk.
  void add_hit_times(std::int64_t hits, Time cost) {
    sums[kReadTime] += Int128{hits} * cost;
    if (hits > 0) read_times.add(cost, static_cast<std::uint32_t>(hits));
  }

  // Adds what can be added up: neither peaks nor surges.
  void add(const Tally& other) {
    for (std::size_t i = 0; i < kCounts; ++i) counts[i] += other.counts[i];
    for (std::size_t i = 0; i < kSums; ++i) sums[i] += other.sums[i];
    read_times.add(other.read_times);
    stale_ages.add(other.stale_ages);
  }
  void subtract(const Tally& other) {
    for (std::size_t i = 0; i < kCounts; ++i) counts[i] -= other.counts[i];
    for (std::size_t i = 0; i < kSums; ++i) sums[i] -= other.sums[i];
    read_times.subtract(other.read_times);
    stale_ages.subtract(other.stale_ages);
  }
};

}  // namespace vestigo
