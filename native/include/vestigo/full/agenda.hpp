// vestigo/full/agenda.hpp: what falls due. docs/semantics.md, section 3, step 1.
#pragma once

#include <algorithm>
#include <functional>
#include <vector>

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
    return std::min({next_clear(), watches.next_at(), loads_.empty() ? kNever : loads_.front().at});
  }

  // A load, or a message.
  void add(Time at, Kind kind, Id what) {
    loads_.push_back({at, kind, ++added_, what});
    std::push_heap(loads_.begin(), loads_.end(), std::greater<>());
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
    std::pop_heap(loads_.begin(), loads_.end(), std::greater<>());
    const Coming due = loads_.back();
    loads_.pop_back();
    return {due.at, due.kind, due.what};
  }

 private:
  struct Clear {
    Time at;
    Id group;
  };
  struct Coming {
    Time at;
    Kind kind;
    std::uint64_t added;  // within a kind, what was added first comes first
    Id what;

    bool operator>(const Coming& other) const {
      if (at != other.at) return at > other.at;
      return kind > other.kind || (kind == other.kind && added > other.added);
    }
  };
  Time next_clear() const { return clear_ < clears_.size() ? clears_[clear_].at : kNever; }

  std::vector<Clear> clears_;
  std::size_t clear_ = 0;
  std::vector<Coming> loads_;
  std::uint64_t added_ = 0;
};

}  // namespace vestigo::full
