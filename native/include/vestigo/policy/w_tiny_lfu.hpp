// vestigo/policy/w_tiny_lfu.hpp: a small window ordered by use, and a segmented main part that lets
// in only entries that were used more often than its next victim.
//
// G. Einziger, R. Friedman, B. Manes, "TinyLFU: a highly efficient cache admission policy", ACM
// Transactions on Storage 13(4), 2017. Uses are counted exactly, where the paper uses a sketch.
// Counts are halved once as many uses were counted as the sample holds. No count exceeds the
// sample's size for each entry.
#pragma once

#include "queue.hpp"

namespace vestigo::policy {

class WTinyLfu {
 public:
  static constexpr bool moves_on_hit = true, keeps_notes = true;
  static bool accepts(const PolicyNumbers& numbers) {
    return numbers[2] >= 1 && numbers[2] <= 1000;
  }

  explicit WTinyLfu(const Room& room)
      : room_(room),
        window_(room, 0, kWindow),
        probation_(room, 1, kProbation),
        protected_(room, 2, kProtected) {}

  void arriving(Id id, Bytes bytes) {
    use(id);
    coming_ = room_.weight(bytes);
  }
  void placed(Id id, Time, Time) {
    ++held_;
    window_.push(id);
    while (window_.weight() > room_.numbers[0]) probation_.push(window_.take_oldest());
  }
  void hit(Id id, Time) {
    use(id);
    switch (room_.note(id).where) {
      case kWindow: return window_.renew(id);
      case kProtected: return protected_.renew(id);
      default:
        probation_.take(id);
        protected_.push(id);
        while (protected_.weight() > room_.numbers[1]) probation_.push(protected_.take_oldest());
    }
  }
  void left(Id id) {
    --held_;
    part(id).take(id);
  }
  Id evict() {
    --held_;
    const bool none_in_main = probation_.empty() && protected_.empty();
    if (window_.empty() || (!none_in_main && window_.weight() + coming_ <= room_.numbers[0]))
      return main().take_oldest();
    const Id candidate = window_.take_oldest();
    if (none_in_main || uses(candidate) <= uses(main().oldest())) return candidate;
    const Id victim = main().take_oldest();
    probation_.push(candidate);
    return victim;
  }
  Id any() const {
    return !window_.empty() ? window_.oldest()
                            : (probation_.empty() ? protected_ : probation_).oldest();
  }

 private:
  enum : std::uint8_t { kWindow = 1, kProbation, kProtected };

  Queue& main() { return probation_.empty() ? protected_ : probation_; }
  Queue& part(Id id) {
    const std::uint8_t where = room_.note(id).where;
    return where == kWindow ? window_ : where == kProbation ? probation_ : protected_;
  }

  // The `place` of a note is how many halvings its count has seen.
  std::uint32_t uses(Id id) {
    Note& note = room_.note(id);
    const std::uint32_t missed = halvings_ - std::exchange(note.place, halvings_);
    return note.count = missed < 32 ? note.count >> missed : 0;
  }

  void use(Id id) {
    const std::uint32_t so_far = uses(id);
    const std::int64_t sample = room_.numbers[2];
    if (so_far < sample) room_.note(id).count = so_far + 1;
    const std::int64_t entries = room_.by_bytes ? std::max<std::int64_t>(held_, 1)
                                                : std::min(room_.capacity, std::int64_t{1} << 40);
    if (++counted_ < sample * entries) return;
    counted_ /= 2;
    ++halvings_;
  }

  Room room_;
  Queue window_, probation_, protected_;
  std::int64_t coming_ = 0, held_ = 0, counted_ = 0;
  std::uint32_t halvings_ = 0;
};

}  // namespace vestigo::policy
