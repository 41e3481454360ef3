// vestigo/full/agenda.hpp: what falls due. docs/semantics.md, section 3, step 1.
#pragma once

#include <algorithm>
#include <vector>

#include "../min_heap.hpp"
#include "watches.hpp"

namespace vestigo::full {

// Of things due at the same moment, the kind that is listed first comes first.
enum class Kind : std::uint8_t { clear, collect, load, message };

struct Due {
  Time at = kNever;
  Kind kind = Kind::clear;
  Id what = kNone;  // a slot, a load, a message
};

class Agenda {
 public:
  // `clears`: when each group is cleared, ascending.
  Agenda(const std::vector<std::vector<Time>>& clears, std::span<Slot> slots) : watches(slots) {
    for (std::size_t group = 0; group < clears.size(); ++group) {
      for (const Time at : clears[group]) clears_.push_back({at, static_cast<Id>(group)});
    }
    std::sort(clears_.begin(), clears_.end(),
              [](const Clear& a, const Clear& b) { return a.at < b.at; });
  }

  Watches watches;

  Time next_at() const {
    return std::min(
        {next_clear(), watches.next_at(), loads_.empty() ? kNever : loads_.first().at()});
  }

  // A load, or a message.
  void add(Time at, Kind kind, Id what) {
    loads_.push({Int128{at} << 64 | order(kind, ++added_), what});
  }

  // Removes and returns what is due first. Groups that are cleared at the same moment come
  // together: `cleared(group)` is called for each.
  template <class Cleared>
  Due take(Cleared cleared) {
    const Time at = next_at();
    if (next_clear() == at) {
      for (; next_clear() == at; ++clear_) cleared(clears_[clear_].group);
      return {.at = at, .kind = Kind::clear};
    }
    if (watches.next_at() == at)
      return {.at = at, .kind = Kind::collect, .what = watches.take_first()};
    const Coming due = loads_.take_first();
    return {due.at(), due.kind(), due.what};
  }

 private:
  struct Clear {
    Time at;
    Id group;
  };
  // What comes first has the lower number: by time, then by kind, then by when it was added.
  struct Coming {
    Int128 number;
    Id what;

    Time at() const { return static_cast<Time>(number >> 64); }
    Kind kind() const {
      return static_cast<Kind>(static_cast<std::uint64_t>(number) >> kAddedBits);
    }
    bool operator<(const Coming& other) const { return number < other.number; }
  };
  static constexpr int kAddedBits = 56;
  static std::uint64_t order(Kind kind, std::uint64_t added) {
    return static_cast<std::uint64_t>(kind) << kAddedBits | added;
  }
  Time next_clear() const { return clear_ < clears_.size() ? clears_[clear_].at : kNever; }

  std::vector<Clear> clears_;
  std::size_t clear_ = 0;
  MinHeap<Coming> loads_;
  std::uint64_t added_ = 0;
};

}  // namespace vestigo::full
