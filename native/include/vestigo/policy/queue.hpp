// vestigo/policy/queue.hpp: one of the parts into which a policy divides the entries of a pool,
// newest to oldest, with their weight.
#pragma once

#include "room.hpp"
#include "ring.hpp"

namespace vestigo::policy {

class Queue {
 public:
  // `mark` is the value of `where` in the notes of these entries.
  Queue(const Room& room, Id sentinel, std::uint8_t mark)
      : room_(room), ring_(room.entries, room.sentinel + sentinel), mark_(mark) {}

  bool empty() const { return ring_.empty(); }
  Id oldest() const { return ring_.oldest(); }
  std::int64_t weight() const { return weight_; }

  void push(Id id) {
    room_.note(id).where = mark_;
    weight_ += room_.weight_of(id);
    ring_.push(id);
  }
  void take(Id id) {
    room_.note(id).where = 0;
    weight_ -= room_.weight_of(id);
    ring_.take(id);
  }
  Id take_oldest() {
    const Id id = oldest();
    take(id);
    room_.fetch(ring_.newer(oldest()));
    return id;
  }
  void renew(Id id) { ring_.renew(id); }

 private:
  Room room_;
  Ring<Entry> ring_;
  std::uint8_t mark_;
  std::int64_t weight_ = 0;
};

}  // namespace vestigo::policy
