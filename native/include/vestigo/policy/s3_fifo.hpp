// vestigo/policy/s3_fifo.hpp: three queues. New entries pass through a small queue. Those that were
// used more than once there go on to the main queue, where used entries go round again. The others
// leave ghosts.
//
// J. Yang, Y. Zhang, Z. Qiu, Y. Yue, K. V. Rashmi, "FIFO queues are all you need for cache
// eviction", SOSP 2023. An eviction has exactly one victim, even if the main queue gives up an
// entry while the small queue is searched.
#pragma once

#include "ghosts.hpp"
#include "queue.hpp"

namespace vestigo::policy {

class S3Fifo {
 public:
  static constexpr bool moves_on_hit = false, keeps_notes = true;

  explicit S3Fifo(const Room& room)
      : room_(room), small_(room, 0, kSmall), main_(room, 1, kMain), ghosts_(room, 0, kGhost) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) {
    Note& note = room_.note(id);
    const bool returns = note.where == kGhost;
    if (returns) ghosts_.take(id);
    note.count = 0;
    (returns ? main_ : small_).push(id);
  }
  void hit(Id id, Time) {
    Note& note = room_.note(id);
    if (note.count < 3) ++note.count;
  }
  void left(Id id) { (room_.note(id).where == kSmall ? small_ : main_).take(id); }
  Id evict() {
    if (small_.weight() < most_small() && !main_.empty()) return evict_main();
    while (!small_.empty()) {
      const Id id = small_.take_oldest();
      if (room_.note(id).count <= 1) {
        ghosts_.push(id, room_.weight_of(id));
        ghosts_.trim(most_main());
        return id;
      }
      room_.note(id).count = 0;
      main_.push(id);
      if (main_.weight() > most_main()) break;
    }
    return evict_main();
  }
  Id any() const { return (small_.empty() ? main_ : small_).oldest(); }

 private:
  enum : std::uint8_t { kSmall = 1, kMain, kGhost };

  std::int64_t most_small() const { return room_.numbers[0]; }
  std::int64_t most_main() const { return room_.capacity - most_small(); }

  Id evict_main() {
    for (;;) {
      const Id id = main_.oldest();
      if (room_.note(id).count == 0) return main_.take_oldest();
      --room_.note(id).count;
      main_.renew(id);
    }
  }

  Room room_;
  Queue small_, main_;
  Ghosts ghosts_;
};

}  // namespace vestigo::policy
