// vestigo/full/agenda.hpp: what falls due. docs/semantics.md, section 3, step 1.
#pragma once

#include <algorithm>
#include <vector>

#include "../min_heap.hpp"
#include "planned.hpp"
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
  Planned planned;

  Time next_at() const {
    return std::min({next_clear(), watches.next_at(), planned.next_at(), next_other()});
  }

  // A load that is not planned, or a message. Of loads that end at the same moment, the one that
  // began first comes first: `begun` is the row in which it did.
  void add(Time at, Kind kind, std::int64_t begun, Id what) {
    const auto added = static_cast<std::uint64_t>(kind == Kind::load ? begun : ++messages_);
    others_.push({Int128{at} << 64 | order(kind, added), what});
  }

  // Removes and returns what is due first. Groups that are cleared at the same moment come
  // together: `cleared(group)` is called for each. `begun(load)` is the row in which one began.
  template <class Cleared, class Begun>
  Due take(Cleared cleared, Begun begun) {
    const Time at = next_at();
    if (next_clear() == at) {
      for (; next_clear() == at; ++clear_) cleared(clears_[clear_].group);
      return {.at = at, .kind = Kind::clear};
    }
    if (watches.next_at() == at)
      return {.at = at, .kind = Kind::collect, .what = watches.take_first()};
    if (planned.next_at() == at &&
        (next_other() > at || others_.first().comes_after(Kind::load, begun(planned.next()))))
      return {.at = at, .kind = Kind::load, .what = planned.take_next()};
    const Coming due = others_.take_first();
    return {due.at(), due.kind(), due.what};
  }

 private:
  struct Clear {
    Time at;
    Id group;
  };
  static constexpr int kAddedBits = 56;
  static std::uint64_t order(Kind kind, std::uint64_t added) {
    return static_cast<std::uint64_t>(kind) << kAddedBits | added;
  }
  // What comes first has the lower number: by time, then by kind, then by when it was added.
  struct Coming {
    Int128 number;
    Id what;

    Time at() const { return static_cast<Time>(number >> 64); }
    Kind kind() const {
      return static_cast<Kind>(static_cast<std::uint64_t>(number) >> kAddedBits);
    }
    // Of what is due at the same moment.
    bool comes_after(Kind other, std::int64_t added) const {
      return static_cast<std::uint64_t>(number) > order(other, static_cast<std::uint64_t>(added));
    }
    bool operator<(const Coming& other) const { return number < other.number; }
  };
  Time next_other() const { return others_.empty() ? kNever : others_.first().at(); }
  Time next_clear() const { return clear_ < clears_.size() ? clears_[clear_].at : kNever; }

  std::vector<Clear> clears_;
  std::size_t clear_ = 0;
  MinHeap<Coming> others_;
  std::int64_t messages_ = 0;
};

}  // namespace vestigo::full
