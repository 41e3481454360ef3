// vestigo/curve.hpp: the hits of LRU at every size at once, in entries and in bytes, and at every
// sliding lifetime.
//
// What LRU holds at one size, it holds at every larger size (R. L. Mattson, J. Gecsei, D. R. Slutz,
// I. L. Traiger, "Evaluation techniques for storage hierarchies", IBM Systems Journal 9(2), 1970):
// so a read is a hit exactly if the depth of its key fits.
//
// A trace can be cut into stretches of time, which are taken side by side. In a later one the depth
// of a key's first use is not known yet: it is what was used since the stretch began, and what of
// the stretches before is more recent than the key and was not used since (Q. Niu, J. Dinan, Q. Lu,
// P. Sadayappan, IEEE International Parallel and Distributed Processing Symposium, 2012).
#pragma once

#include <algorithm>
#include <utility>
#include <vector>

#include "columns.hpp"
#include "histogram.hpp"
#include "recency.hpp"

namespace vestigo {

struct CurveSetting {
  std::vector<Id> entry_lookups{};     // for each key, or for each key on a node where nodes have
                                       // caches of their own
  std::vector<Id> entry_nodes{};       // the node: 0 for rows that name none; empty if all share
  std::vector<std::uint8_t> chosen{};  // for each look-up, whether its keys share the room
  Bytes overhead = 0;
  bool replaces = false;                // writes store their value
  std::vector<std::int64_t> entries{};  // the sizes at which lifetimes are told apart, ascending
  std::vector<Time> sliding{};          // these lifetimes, ascending

  bool operator==(const CurveSetting&) const = default;
};

class Curve {
 public:
  // `is_later`: whether events come before, of which another curve knows.
  explicit Curve(CurveSetting setting, bool is_later = false)
      : setting_(std::move(setting)),
        is_later_(is_later),
        places_(setting_.entry_lookups.size()),
        by_entries_(setting_.entry_lookups.size() + 1),
        surface_((setting_.entries.size() + 1) * (setting_.sliding.size() + 1)),
        used_(is_later ? places_.size() : 0) {
    std::vector<std::size_t> counts(1);
    for (std::size_t entry = 0; entry < places_.size(); ++entry) {
      const auto node = index(node_of(static_cast<Id>(entry)));
      if (node >= counts.size()) counts.resize(node + 1);
      places_[entry] = static_cast<Id>(counts[node]++);
    }
    std::vector<std::vector<Id>> lookups(counts.size());
    for (std::size_t entry = 0; entry < places_.size(); ++entry) {
      lookups[index(node_of(static_cast<Id>(entry)))].push_back(setting_.entry_lookups[entry]);
    }
    for (std::size_t node = 0; node < counts.size(); ++node)
      nodes_.push_back({Recency(counts[node]), std::move(lookups[node])});
  }

  // Takes the events [begin, end) of a batch. Those before `counted` are not counted.
  void feed(const Columns& columns, std::size_t begin, std::size_t end, std::size_t counted) {
    for (std::size_t i = begin; i < end; ++i) {
      if (i + 2 * kAhead < end) fetch(columns.key[i + 2 * kAhead], columns.key[i + kAhead]);
      event(columns, i, i >= counted);
    }
  }

  // Takes what came right after, as a curve of its own has it. If that was the last, nobody asks
  // what is held then.
  void take_later(const Curve& later, bool is_last) {
    const std::vector<Unsettled>& uses = later.unsettled_;
    for (std::size_t i = 0; i < uses.size(); ++i) {
      if (i + 2 * kAhead < uses.size()) fetch(uses[i + 2 * kAhead].entry, uses[i + kAhead].entry);
      settle(uses[i]);
    }
    for (std::size_t node = 0; !is_last && node < nodes_.size(); ++node)
      nodes_[node].recency.use_all_of(later.nodes_[node].recency);
    reads_ += later.reads_;
    add(by_entries_, later.by_entries_);
    add(by_bytes_, later.by_bytes_);
    add(surface_, later.surface_);
  }

  // Whether another curve can be what came right after.
  bool can_take(const Curve& later) const {
    return !is_later_ && later.is_later_ && setting_ == later.setting_;
  }

  std::int64_t reads() const { return reads_; }
  // For each depth in entries, how many reads found their key there.
  const std::vector<std::int64_t>& by_entries() const { return by_entries_; }
  // The same for depths in bytes, in the bins of a histogram.
  const std::vector<std::int64_t>& by_bytes() const { return by_bytes_; }
  // Reads by the first size that is not less than the depth, then by the first lifetime that is
  // longer than the time since the last use.
  const std::vector<std::int64_t>& surface() const { return surface_; }

 private:
  static constexpr std::size_t kAhead = 10;

  // The first use of an entry in a later stretch, or a clear or restart. What it means depends on
  // what came before.
  struct Unsettled {
    Id entry = kNone;                      // of a use
    Id lookup = kNone, node = kNone;       // of a clear or restart
    bool is_read = false, forced = false;  // of a use: whether it is a read that counts
    Time at = 0;
    std::int64_t entries = 0;  // what its node has used since the stretch began
    Bytes bytes = 0;
  };

  [[gnu::always_inline]] void fetch(Id far, Id near) const {
    if (far != kNone) recency_of(far).fetch(place(far));
    if (near != kNone) recency_of(near).fetch_position(place(near));
  }

  void settle(const Unsettled& one) {
    if (one.entry == kNone) return forget(one.lookup, one.node);
    Recency& recency = recency_of(one.entry);
    if (one.is_read) {
      Recency::Depth depth = recency.depth(place(one.entry));
      if (depth.entries > 0) {
        depth.entries += one.entries;
        depth.bytes += one.bytes;
      }
      count(depth, one.at, one.forced);
    }
    recency.forget(place(one.entry));
  }

  static void add(std::vector<std::int64_t>& counts, const std::vector<std::int64_t>& more) {
    counts.resize(std::max(counts.size(), more.size()));
    for (std::size_t i = 0; i < more.size(); ++i) counts[i] += more[i];
  }

  void event(const Columns& columns, std::size_t i, bool counts) {
    const std::uint8_t mark = columns.mark[i];
    switch (mark & kOp) {
      case kClear: return forget(columns.value[i], columns.node[i]);
      case kRestart: return forget(kNone, columns.node[i]);
      case kElsewhere:
      case kNothing:
      case kTakenOut:  // the curve knows no drops, neither by writes nor by hand
        return;
    }
    const Id entry = columns.key[i];
    if (!setting_.chosen[index(setting_.entry_lookups[index(entry)])]) return;
    if ((mark & kOp) == kWrite && !setting_.replaces) return;
    Recency& recency = recency_of(entry);
    const bool is_read = (mark & kOp) == kRead && counts;
    if (is_later_ && !std::exchange(used_[index(entry)], true)) {
      unsettled_.push_back({.entry = entry,
                            .is_read = is_read,
                            .forced = (mark & kForced) != 0,
                            .at = columns.at[i],
                            .entries = recency.held(),
                            .bytes = recency.held_bytes()});
    } else if (is_read) {
      count(recency.depth(place(entry)), columns.at[i], mark & kForced);
    }
    recency.use(place(entry), columns.size[i] + setting_.overhead, columns.at[i]);
  }

  // What a node, or all, hold of a look-up, or of all look-ups.
  void forget(Id lookup, Id node) {
    if (is_later_) unsettled_.push_back({.lookup = lookup, .node = node});
    for (std::size_t one = 0; one < nodes_.size(); ++one) {
      if (node != kNone && !setting_.entry_nodes.empty() && static_cast<Id>(one) != node + 1)
        continue;
      nodes_[one].recency.forget_where(
          [&](Id place) { return lookup == kNone || nodes_[one].lookups[index(place)] == lookup; });
    }
  }

  void count(const Recency::Depth& depth, Time now, bool forced) {
    ++reads_;
    if (depth.entries == 0 || forced) return;
    ++by_entries_[static_cast<std::size_t>(depth.entries)];
    const std::size_t bin = Histogram::bin(depth.bytes);
    if (bin >= by_bytes_.size()) by_bytes_.resize(bin + 1);
    ++by_bytes_[bin];
    const auto size =
        std::lower_bound(setting_.entries.begin(), setting_.entries.end(), depth.entries) -
        setting_.entries.begin();
    const auto lifetime =
        std::upper_bound(setting_.sliding.begin(), setting_.sliding.end(), now - depth.used_at) -
        setting_.sliding.begin();
    ++surface_[static_cast<std::size_t>(size) * (setting_.sliding.size() + 1) +
               static_cast<std::size_t>(lifetime)];
  }

  // What one node has used, and the look-up of each of its entries.
  struct Node {
    Recency recency;
    std::vector<Id> lookups;
  };

  Id node_of(Id entry) const {
    return setting_.entry_nodes.empty() ? 0 : setting_.entry_nodes[index(entry)];
  }
  Recency& recency_of(Id entry) { return nodes_[index(node_of(entry))].recency; }
  const Recency& recency_of(Id entry) const { return nodes_[index(node_of(entry))].recency; }
  Id place(Id entry) const { return places_[index(entry)]; }

  CurveSetting setting_;
  bool is_later_;
  std::vector<Id> places_;  // the place of each entry among those of its node
  std::vector<Node> nodes_;
  std::vector<std::int64_t> by_entries_, by_bytes_, surface_;
  std::int64_t reads_ = 0;
  std::vector<std::uint8_t> used_;    // for each entry, whether it was used, in a later stretch
  std::vector<Unsettled> unsettled_;  // in order
};

}  // namespace vestigo
