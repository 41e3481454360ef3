// vestigo/policy/queue.hpp: one of the parts into which a policy divides a pool's entries, newest to oldest, with their weight.
#pragma once

#include "home.hpp"
#include "ring.hpp"

namespace vestigo::policy {

class Queue {
 public:
  // `mark` is what `where` says in the notes of these entries.
  Queue(const Home& home, Id hub, std::uint8_t mark) : home_(home), ring_(home.entries, home.hub + hub), mark_(mark) {}

  bool empty() const { return ring_.empty(); }
  Id oldest() const { return ring_.oldest(); }
  std::int64_t weight() const { return weight_; }

  void push(Id id) {
    home_.note(id).where = mark_;
    weight_ += home_.weight_of(id);
    ring_.push(id);
  }
  void take(Id id) {
    home_.note(id).where = 0;
    weight_ -= home_.weight_of(id);
    ring_.take(id);
  }
  Id take_oldest() {
    const Id id = oldest();
    take(id);
    home_.fetch(ring_.newer(oldest()));
    return id;
  }
  void renew(Id id) { ring_.renew(id); }

 private:
  Home home_;
  Ring<Entry> ring_;
  std::uint8_t mark_;
  std::int64_t weight_ = 0;
};

}  // namespace vestigo::policy
