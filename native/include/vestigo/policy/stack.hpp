// vestigo/policy/stack.hpp: keys in the order of their last use, the latest on top, held or not.
//
// Keys are written one after the other. A key that moves to the top is written again, and its old
// place counts for nothing. So the bottom is read in order, and the notes of what comes next can be
// fetched. A chain of notes all over memory would not allow that.
#pragma once

#include <algorithm>
#include <vector>

#include "room.hpp"

namespace vestigo::policy {

class Stack {
 public:
  explicit Stack(const Room& room) : room_(room) {}

  bool empty() const { return size_ == 0; }
  bool has(Id id) const { return room_.note(id).place != kNowhere; }

  // Puts the key on top, wherever it stood.
  void push(Id id) {
    if (end_ == written_.size()) [[unlikely]]
      make_room();
    std::uint32_t& place = room_.note(id).place;
    size_ += place == kNowhere;
    place = place_of(end_);
    written_[end_++] = id;
  }

  void take(Id id) {
    room_.note(id).place = kNowhere;
    --size_;
  }

  // The lowest key, if there is one.
  Id oldest() {
    while (!stands(first_)) fetch(++first_);
    fetch(first_);
    return written_[first_];
  }
  Id take_oldest() {
    const Id id = oldest();
    take(id);
    return id;
  }

 private:
  static constexpr std::uint32_t kNowhere = 0;
  static constexpr std::size_t kSome = 1024, kAhead = 24;

  std::uint32_t place_of(std::size_t index) const {
    return static_cast<std::uint32_t>(forgotten_ + index + 1);
  }
  bool stands(std::size_t index) const {
    return room_.note(written_[index]).place == place_of(index);
  }

  void fetch(std::size_t index) const {
    if (index + kAhead < end_) __builtin_prefetch(&room_.notes[written_[index + kAhead]], 1);
  }

  // Forgets places that count for nothing: those below the bottom, or, if that is little, all of
  // them.
  [[gnu::noinline]] void make_room() {
    std::size_t kept = 0;
    if (4 * first_ > end_) {
      kept = end_ - first_;
      std::copy(written_.begin() + static_cast<std::ptrdiff_t>(first_), written_.end(),
                written_.begin());
      forgotten_ += first_;
    } else {
      for (std::size_t i = first_; i < end_; ++i) {
        fetch(i);
        if (!stands(i)) continue;
        room_.note(written_[i]).place = place_of(kept);
        written_[kept++] = written_[i];
      }
      written_.resize(2 * kept + kSome);
    }
    first_ = 0;
    end_ = kept;
  }

  Room room_;
  std::vector<Id> written_;
  std::size_t first_ = 0;      // nothing counts before this place
  std::size_t end_ = 0;        // nothing is written from here on
  std::size_t forgotten_ = 0;  // how many places came before these
  std::size_t size_ = 0;
};

}  // namespace vestigo::policy
