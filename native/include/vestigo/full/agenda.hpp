// vestigo/full/agenda.hpp: what falls due. docs/semantics.md, section 3, step 1.
#pragma once

#include <algorithm>
#include <functional>
#include <vector>

#include "../numbers.hpp"

namespace vestigo::full {

// Of what is due at one moment, the first kind comes first.
enum class Kind : std::uint8_t { clear, collect, load, message };

struct Due {
  Time at = kNever;
  Kind kind = Kind::clear;
  Id key = 0, number = 0;   // the order of entries that are collected: by key, then by compartment
  std::uint64_t added = 0;  // the order of all else
  Id what = kNone;          // a slot, a load, a room
  std::uint32_t stay = 0;   // of the slot

  bool operator>(const Due& other) const {
    if (at != other.at) return at > other.at;
    if (kind != other.kind) return kind > other.kind;
    if (key != other.key) return key > other.key;
    if (number != other.number) return number > other.number;
    return added > other.added;
  }
};

class Agenda {
 public:
  // `clears`: when each room is cleared, ascending.
  explicit Agenda(const std::vector<std::vector<Time>>& clears) {
    for (std::size_t room = 0; room < clears.size(); ++room) {
      for (const Time at : clears[room]) clears_.push_back({at, static_cast<Id>(room)});
    }
    std::sort(clears_.begin(), clears_.end(), [](const Clear& a, const Clear& b) { return a.at < b.at || (a.at == b.at && a.room < b.room); });
  }

  Time next_at() const { return std::min(next_clear(), due_.empty() ? kNever : due_.front().at); }

  void add(Due due) {
    due.added = ++added_;
    due_.push_back(due);
    std::push_heap(due_.begin(), due_.end(), std::greater<>());
  }

  // Takes what is due first. A clear comes with the other rooms that are cleared then: `cleared(room)` is called for each.
  template <class Cleared>
  Due take(Cleared cleared) {
    const Time at = next_at();
    if (next_clear() == at) {
      for (; next_clear() == at; ++clear_) cleared(clears_[clear_].room);
      return {.at = at};
    }
    std::pop_heap(due_.begin(), due_.end(), std::greater<>());
    const Due due = due_.back();
    due_.pop_back();
    return due;
  }

 private:
  struct Clear {
    Time at;
    Id room;
  };
  Time next_clear() const { return clear_ < clears_.size() ? clears_[clear_].at : kNever; }

  std::vector<Clear> clears_;
  std::size_t clear_ = 0;
  std::vector<Due> due_;
  std::uint64_t added_ = 0;
};

}  // namespace vestigo::full
