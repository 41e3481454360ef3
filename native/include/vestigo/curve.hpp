// vestigo/curve.hpp: the hits of LRU at every size at once, in entries and in bytes, and at every sliding lifetime.
//
// What LRU holds at one size it holds at every larger one (R. L. Mattson, J. Gecsei, D. R. Slutz, I. L. Traiger, "Evaluation
// techniques for storage hierarchies", IBM Systems Journal 9(2), 1970): a read is a hit just where its key's depth fits.
#pragma once

#include <algorithm>
#include <vector>

#include "columns.hpp"
#include "histogram.hpp"
#include "recency.hpp"

namespace vestigo {

struct CurveSetting {
  std::vector<Id> key_lookups{};        // of each key
  std::vector<std::uint8_t> chosen{};   // by look-up: whether its keys share the room
  Bytes overhead = 0;
  bool replaces = false;                // writes put their value in place
  std::vector<std::int64_t> entries{};  // ascending: the sizes at which lifetimes are told apart,
  std::vector<Time> sliding{};          // ascending: and these
};

class Curve {
 public:
  explicit Curve(CurveSetting setting)
      : setting_(std::move(setting)),
        recency_(setting_.key_lookups.size()),
        by_entries_(setting_.key_lookups.size() + 1),
        surface_((setting_.entries.size() + 1) * (setting_.sliding.size() + 1)) {}

  // The events [begin, end) of a batch; those before `counted` are not counted.
  void feed(const Columns& columns, std::size_t begin, std::size_t end, std::size_t counted) {
    for (std::size_t i = begin; i < end; ++i) {
      if (i + 2 * kAhead < end) {
        recency_.fetch(columns.key[i + 2 * kAhead]);
        recency_.fetch_position(columns.key[i + kAhead]);
      }
      event(columns, i, i >= counted);
    }
  }

  std::int64_t reads() const { return reads_; }
  // By depth in entries: how many reads found their key so deep.
  const std::vector<std::int64_t>& by_entries() const { return by_entries_; }
  // The same by depth in bytes, in the bins of a histogram.
  const std::vector<std::int64_t>& by_bytes() const { return by_bytes_; }
  // By the first of the sizes that is no less than the depth, then by the first lifetime that is longer than the time since the last use.
  const std::vector<std::int64_t>& surface() const { return surface_; }

 private:
  static constexpr std::size_t kAhead = 10;

  void event(const Columns& columns, std::size_t i, bool counts) {
    const std::uint8_t mark = columns.mark[i];
    switch (mark & kOp) {
      case kClear: {
        const Id lookup = columns.value[i];
        return recency_.forget_where([&](Id key) { return lookup == kNone || lookup_of(key) == lookup; });
      }
      case kRestart:
        return recency_.forget_where([](Id) { return true; });
    }
    const Id key = columns.key[i];
    if (!setting_.chosen[static_cast<std::size_t>(lookup_of(key))]) return;
    if ((mark & kOp) == kWrite && !setting_.replaces) return;
    if ((mark & kOp) == kRead && counts) count(recency_.depth(key), columns.at[i], mark & kForced);
    recency_.use(key, columns.size[i] + setting_.overhead, columns.at[i]);
  }

  void count(const Recency::Depth& depth, Time now, bool forced) {
    ++reads_;
    if (depth.entries == 0 || forced) return;
    ++by_entries_[static_cast<std::size_t>(depth.entries)];
    const std::size_t bin = Histogram::bin(depth.bytes);
    if (bin >= by_bytes_.size()) by_bytes_.resize(bin + 1);
    ++by_bytes_[bin];
    const auto size = std::lower_bound(setting_.entries.begin(), setting_.entries.end(), depth.entries) - setting_.entries.begin();
    const auto lifetime = std::upper_bound(setting_.sliding.begin(), setting_.sliding.end(), now - depth.used_at) - setting_.sliding.begin();
    ++surface_[static_cast<std::size_t>(size) * (setting_.sliding.size() + 1) + static_cast<std::size_t>(lifetime)];
  }

  Id lookup_of(Id key) const { return setting_.key_lookups[static_cast<std::size_t>(key)]; }

  CurveSetting setting_;
  Recency recency_;
  std::vector<std::int64_t> by_entries_, by_bytes_, surface_;
  std::int64_t reads_ = 0;
};

}  // namespace vestigo
