// vestigo/policy/lfu.hpp: least frequently used. The entry with the fewest uses since it came in
// leaves first. Of equal ones, the least recently used goes first. The count is lost with the
// entry.
//
// A. V. Aho, P. J. Denning, J. D. Ullman, "Principles of optimal page replacement", Journal of the
// ACM 18(1), 1971. In constant time: K. Shah, A. Mitra, D. Matani, "An O(1) algorithm for
// implementing the LFU cache eviction scheme", 2010.
#pragma once

#include <bit>
#include <vector>

#include "../id_map.hpp"
#include "ring.hpp"
#include "room.hpp"

namespace vestigo::policy {

// For each number of uses, the newest entry that has so many. Few uses are the usual case, so they
// are looked up directly.
class NewestByUses {
 public:
  Id of(std::uint32_t uses) const {
    if (uses < few_.size()) return few_[uses];
    const Id* const found = uses < kFew ? nullptr : many_.find(uses);
    return found == nullptr ? kNone : *found;
  }
  void set(std::uint32_t uses, Id id) {
    if (uses >= kFew) return many_.set(uses, id);
    if (uses >= few_.size()) few_.resize(std::bit_ceil(uses + 1), kNone);
    few_[uses] = id;
  }
  void erase(std::uint32_t uses) { uses < kFew ? set(uses, kNone) : many_.erase(uses); }

 private:
  static constexpr std::uint32_t kFew = 4096;

  std::vector<Id> few_;
  Map<std::uint32_t, Id> many_;
};

// All entries are in one ring, by uses and then by age. One more use takes an entry beside the
// newest of the next number.
class Lfu {
 public:
  static constexpr bool moves_on_hit = true, keeps_notes = true;

  explicit Lfu(const Room& room) : room_(room), order_(room.entries, room.sentinel) {}

  void arriving(Id, Bytes) {}
  void placed(Id id, Time, Time) {
    room_.note(id).count = 1;
    order_.push_newer(id, newest_or(1, order_.sentinel));
    newest_.set(1, id);
  }
  void hit(Id id, Time) {
    const std::uint32_t uses = room_.note(id).count++;
    const Id newest = newest_.of(uses), beside = newest_or(uses + 1, newest);
    if (newest == id) step_down(id, uses);
    if (beside != id) {
      order_.take(id);
      order_.push_newer(id, beside);
    }
    newest_.set(uses + 1, id);
  }
  void left(Id id) {
    const std::uint32_t uses = room_.note(id).count;
    if (newest_.of(uses) == id) step_down(id, uses);
    order_.take(id);
  }
  Id evict() {
    const Id id = order_.oldest();
    left(id);
    return id;
  }
  Id any() const { return order_.oldest(); }

 private:
  Id newest_or(std::uint32_t uses, Id otherwise) const {
    const Id newest = newest_.of(uses);
    return newest == kNone ? otherwise : newest;
  }

  // The newest of those with so many uses is no longer one of them.
  void step_down(Id id, std::uint32_t uses) {
    const Id next = order_.older(id);
    if (next != order_.sentinel && room_.note(next).count == uses) {
      newest_.set(uses, next);
    } else {
      newest_.erase(uses);
    }
  }

  Room room_;
  Ring<Entry> order_;
  NewestByUses newest_;
};

}  // namespace vestigo::policy
