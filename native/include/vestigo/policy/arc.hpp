// vestigo/policy/arc.hpp: adaptive replacement. One list for keys that were seen once, one for
// those seen again, ghosts of both; the ghosts that are asked for decide which list gives up its
// oldest.
//
// N. Megiddo, D. S. Modha, "ARC: a self-tuning, low overhead replacement cache", FAST 2003. The
// target moves in whole steps. Where the room is counted in bytes, a step is multiplied by the size
// of what comes in.
#pragma once

#include <algorithm>

#include "ghosts.hpp"
#include "queue.hpp"

namespace vestigo::policy {

class Arc {
 public:
  static constexpr bool moves_on_hit = true, keeps_notes = true;

  explicit Arc(const Room& room)
      : room_(room),
        once_(room, 0, kOnce),
        again_(room, 1, kAgain),
        once_ghosts_(room, 0, kOnceGhost),
        again_ghosts_(room, 1, kAgainGhost) {}

  void arriving(Id id, Bytes bytes) {
    const std::int64_t weight = room_.weight(bytes), room = room_.capacity;
    came_from_ = room_.note(id).where;
    if (came_from_ == kOnceGhost) {
      target_ = static_cast<std::int64_t>(
          std::min(target_ + step(weight, again_ghosts_, once_ghosts_), Int128{room}));
      once_ghosts_.take(id);
    } else if (came_from_ == kAgainGhost) {
      target_ = static_cast<std::int64_t>(
          std::max(target_ - step(weight, once_ghosts_, again_ghosts_), Int128{0}));
      again_ghosts_.take(id);
    } else if (once_.weight() + once_ghosts_.weight() + weight > room) {
      while (!once_ghosts_.empty() && once_.weight() + once_ghosts_.weight() + weight > room)
        once_ghosts_.drop_oldest();
    } else {
      const std::int64_t others = once_.weight() + once_ghosts_.weight() + again_.weight() + weight;
      while (!again_ghosts_.empty() && others + again_ghosts_.weight() > 2 * room)
        again_ghosts_.drop_oldest();
    }
    full_of_once_ = came_from_ == 0 && once_.weight() + weight > room;
  }
  void placed(Id id, Time, Time) { (came_from_ == 0 ? once_ : again_).push(id); }
  void hit(Id id, Time) {
    (room_.note(id).where == kOnce ? once_ : again_).take(id);
    again_.push(id);
  }
  void left(Id id) { (room_.note(id).where == kOnce ? once_ : again_).take(id); }
  Id evict() {
    const bool over =
        once_.weight() > target_ || (came_from_ == kAgainGhost && once_.weight() == target_);
    if (!once_.empty() && (over || again_.empty())) {
      const Id id = once_.take_oldest();
      if (!full_of_once_) once_ghosts_.push(id, room_.weight_of(id));
      return id;
    }
    const Id id = again_.take_oldest();
    again_ghosts_.push(id, room_.weight_of(id));
    return id;
  }
  Id any() const { return (once_.empty() ? again_ : once_).oldest(); }

 private:
  enum : std::uint8_t { kOnce = 1, kAgain, kOnceGhost, kAgainGhost };

  static Int128 step(std::int64_t weight, const Ghosts& others, const Ghosts& own) {
    return Int128{weight} *
           (own.weight() == 0 ? 1 : std::max<std::int64_t>(others.weight() / own.weight(), 1));
  }

  Room room_;
  Queue once_, again_;
  Ghosts once_ghosts_, again_ghosts_;
  std::int64_t target_ = 0;  // how much room the first list should have
  std::uint8_t came_from_ = 0;
  bool full_of_once_ = false;
};

}  // namespace vestigo::policy
