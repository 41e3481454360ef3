// vestigo/policy/ghosts.hpp: keys that a policy remembers after they left, newest to oldest, with
// their weights.
#pragma once

#include "room.hpp"
#include "ring.hpp"

namespace vestigo::policy {

class Ghosts {
 public:
  // `mark` is the value of `where` in the notes of these ghosts.
  Ghosts(const Room& room, Id sentinel, std::uint8_t mark)
      : room_(room), ring_(room.notes, room.sentinel + sentinel), mark_(mark) {}

  bool empty() const { return ring_.empty(); }
  std::int64_t weight() const { return weight_; }

  void push(Id id, std::int64_t weight) {
    Note& note = room_.note(id);
    note.where = mark_;
    note.number = weight;
    weight_ += weight;
    ring_.push(id);
  }
  void take(Id id) {
    Note& note = room_.note(id);
    note.where = 0;
    weight_ -= note.number;
    ring_.take(id);
  }
  void drop_oldest() {
    take(ring_.oldest());
    room_.fetch_note(ring_.newer(ring_.oldest()));
  }
  void trim(std::int64_t most) {
    while (weight_ > most && !empty()) drop_oldest();
  }

 private:
  Room room_;
  Ring<Note> ring_;
  std::uint8_t mark_;
  std::int64_t weight_ = 0;
};

}  // namespace vestigo::policy
