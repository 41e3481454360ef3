// vestigo/policy/lirs.hpp: low inter-reference recency. Most of the room is for entries that were
// used twice within a short time. The others pass through a short queue, and are remembered while
// they are as recent as those.
//
// S. Jiang, X. Zhang, "LIRS: an efficient low inter-reference recency set replacement policy to
// improve buffer cache performance", SIGMETRICS 2002. As in the paper, the stack has no limit.
#pragma once

#include "queue.hpp"
#include "stack.hpp"

namespace vestigo::policy {

class Lirs {
 public:
  static constexpr bool moves_on_hit = true, keeps_notes = true;

  explicit Lirs(const Room& room)
      : room_(room), stack_(room), queue_(room, 0, kPassing), most_low_(room.numbers[0]) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) {
    const bool returns = room_.note(id).where == kGhost;
    if (returns || low_weight_ + room_.weight_of(id) <= most_low_) {
      stack_.push(id);
      become_low(id);
    } else {
      stack_.push(id);
      queue_.push(id);
    }
  }
  void hit(Id id, Time) {
    if (room_.note(id).where == kLow) {
      stack_.push(id);
      prune();
    } else if (stack_.has(id)) {
      queue_.take(id);
      stack_.push(id);
      become_low(id);
    } else {
      stack_.push(id);
      queue_.renew(id);
    }
  }
  void left(Id id) {
    Note& note = room_.note(id);
    if (note.where == kPassing) {
      queue_.take(id);
      if (stack_.has(id)) stack_.take(id);
      prune();
    } else {
      leave_low(id);
    }
    note.where = 0;
  }
  Id evict() {
    if (queue_.empty()) {
      const Id id = stack_.oldest();
      leave_low(id);
      room_.note(id).where = 0;
      return id;
    }
    const Id id = queue_.take_oldest();
    if (stack_.has(id)) room_.note(id).where = kGhost;
    return id;
  }
  Id any() { return queue_.empty() ? stack_.oldest() : queue_.oldest(); }

 private:
  enum : std::uint8_t { kLow = 1, kPassing, kGhost };

  // An entry is of low recency now, and stands in the stack.
  void become_low(Id id) {
    room_.note(id).where = kLow;
    low_weight_ += room_.weight_of(id);
    while (low_weight_ > most_low_) {
      prune();
      const Id oldest = stack_.take_oldest();
      low_weight_ -= room_.weight_of(oldest);
      queue_.push(oldest);
    }
    prune();
  }

  void leave_low(Id id) {
    stack_.take(id);
    low_weight_ -= room_.weight_of(id);
    prune();
  }

  // Removes old keys from the stack until its oldest one is of low recency, or the stack is empty.
  void prune() {
    while (!stack_.empty()) {
      const Id oldest = stack_.oldest();
      Note& note = room_.note(oldest);
      if (note.where == kLow) return;
      if (note.where == kGhost) note.where = 0;
      stack_.take(oldest);
    }
  }

  Room room_;
  Stack stack_;
  Queue queue_;
  std::int64_t most_low_, low_weight_ = 0;
};

}  // namespace vestigo::policy
