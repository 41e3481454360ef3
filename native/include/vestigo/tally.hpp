// vestigo/tally.hpp: what is counted of one look-up.
#pragma once

#include <algorithm>
#include <array>
#include <numeric>

#include "entry.hpp"
#include "histogram.hpp"
#include "numbers.hpp"

namespace vestigo {

// Counts by place in an array. The misses of each Cause come first, then these.
enum Count : std::size_t {
  kBeforeCounts = kCauses - 1,
#define VESTIGO_COUNT(place, name) place,
#include "tally.def"
  kCounts
};
using Counts = std::array<std::int64_t, kCounts>;

enum Sum : std::size_t {
#define VESTIGO_SUM(place, name) place,
#include "tally.def"
  kSums
};
using Sums = std::array<Int128, kSums>;

// The spans of time that are counted.
enum SpansOf : std::size_t {
#define VESTIGO_SPANS(place, name) place,
#include "tally.def"
  kSpans
};

// The longest spans that occurred, and the longest queue at an origin.
struct Longest {
  Time read = 0, answer_age = 0, stale_age = 0, origin_wait = 0;
  std::int64_t queue = 0;

  void raise(const Longest& other) {
    read = std::max(read, other.read);
    answer_age = std::max(answer_age, other.answer_age);
    stale_age = std::max(stale_age, other.stale_age);
    origin_wait = std::max(origin_wait, other.origin_wait);
    queue = std::max(queue, other.queue);
  }
};

// The most loads in one clock second, and in one clock minute.
struct Surge {
  std::int64_t second = 0, minute = 0;

  void raise(const Surge& other) {
    second = std::max(second, other.second);
    minute = std::max(minute, other.minute);
  }
};

// Counts loads by clock second and minute. It is called only when a second with a load begins.
class SurgeCount {
 public:
  SurgeCount() = default;
  explicit SurgeCount(std::int64_t loads) : second_base_(loads), minute_base_(loads) {}

  // Call it before a load at `now` that is the first of its second. `loads` is the number of loads
  // so far.
  void begin_second(Time now, std::int64_t loads) {
    close(loads);
    second_base_ = loads;
    second_ends = end(now, kSecond);
    if (now < minute_ends_) return;
    minute_base_ = loads;
    minute_ends_ = end(now, kMinute);
  }
  // The loads of the second that began last.
  std::int64_t in_second(std::int64_t loads) const { return loads - second_base_; }
  Time second() const { return second_ends / kSecond - 1; }

  const Surge& close(std::int64_t loads) {
    most_.second = std::max(most_.second, loads - second_base_);
    most_.minute = std::max(most_.minute, loads - minute_base_);
    return most_;
  }

  Time second_ends = kGone;

 private:
  static constexpr Time kSecond = 1'000'000'000, kMinute = 60 * kSecond;
  static Time end(Time now, Time width) { return now - (now % width + width) % width + width; }

  Time minute_ends_ = kGone;
  std::int64_t second_base_ = 0, minute_base_ = 0;
  Surge most_;
};

// Entries and bytes held now, and their peaks.
struct Level {
  std::int64_t entries = 0, entries_peak = 0;
  Bytes bytes = 0, bytes_peak = 0;

  [[gnu::always_inline]] void change(std::int64_t more_entries, Bytes more_bytes) {
    bytes += more_bytes;
    if (bytes > bytes_peak) [[unlikely]]
      bytes_peak = bytes;
    if (more_entries == 0) return;  // one in, one out
    entries += more_entries;
    if (entries > entries_peak) entries_peak = entries;
  }
  void raise_peaks(const Level& other) {
    entries_peak = std::max(entries_peak, other.entries_peak);
    bytes_peak = std::max(bytes_peak, other.bytes_peak);
  }
  void peaks_from_now() {
    entries_peak = entries;
    bytes_peak = bytes;
  }
};

// What is counted alike of a look-up and of a slice of time.
struct Counted {
  Counts counts{};
  Sums sums{};
  Level held;
  Longest longest;  // during a replay, of the current slice, like the peaks of `held`
  Surge surge;

  // Adds what can be added. Peaks and surges cannot.
  void add(const Counted& other) {
    for (std::size_t i = 0; i < kCounts; ++i) counts[i] += other.counts[i];
    for (std::size_t i = 0; i < kSums; ++i) sums[i] += other.sums[i];
  }
  void subtract(const Counted& other) {
    for (std::size_t i = 0; i < kCounts; ++i) counts[i] -= other.counts[i];
    for (std::size_t i = 0; i < kSums; ++i) sums[i] -= other.sums[i];
  }
};

struct Tally : Counted {
  Time origin_time = 0;  // the sum of costs alone fits (see numbers.hpp)
  SurgeCount surge_count;
  std::array<Histogram, kSpans> spans;

  // What is held is summed as if it left at the beginning of time, which gives a negative sum. So a
  // change costs one product, and what is held now is added when the sum is asked for.
  [[gnu::always_inline]] void hold(std::int64_t more_entries, Bytes more_bytes, Time now) {
    sums[kHeld] -= Int128{more_bytes} * now;
    held.change(more_entries, more_bytes);
  }
  // Every miss loads, except those that share another's call.
  std::int64_t loads() const {
    return std::accumulate(counts.begin(), counts.begin() + kCauses,
                           counts[kBackgroundLoads] + counts[kOtherLoads] - counts[kBatched]);
  }

  void add(const Tally& other) {
    Counted::add(other);
    for (std::size_t of = 0; of < kSpans; ++of) spans[of].add(other.spans[of]);
  }
};

}  // namespace vestigo
