// vestigo/due.hpp: what falls due later, given back in the order of time; of a tie, what was put in first.
//
// A timing wheel (G. Varghese and A. Lauck, "Hashed and hierarchical timing wheels", SOSP 1987): time is
// cut into ticks, a ring of lists holds what is due within the next kTicks ticks, and only what is due in
// the present tick is kept in order, in a small heap. What is due later than the ring reaches waits in a
// heap of its own. Any input costs at most O(log n) a step; where loads end within the ring, O(1).
#pragma once

#include <algorithm>
#include <array>
#include <bit>
#include <functional>
#include <vector>

#include "numbers.hpp"

namespace vestigo {

struct Due {
  Time at;
  std::uint32_t order;
  Id slot;

  friend bool operator>(const Due& a, const Due& b) { return a.at != b.at ? a.at > b.at : a.order > b.order; }
};

class DueQueue {
 public:
  // A tick is 2^shift ns: best is about the time between two events.
  explicit DueQueue(int shift) : shift_(shift) { heads_.fill(kNone); }

  bool empty() const { return size_ == 0; }
  std::size_t size() const { return size_; }

  // Nothing is due before this.
  Time next() const { return next_; }

  // Puts in a slot that falls due at `at`, which is not before `now`. A slot is in the queue at most once.
  void push(Id slot, Time at, Time now) {
    if (size_++ == 0) tick_ = now >> shift_;
    const Due due{at, order_++, slot};
    const Time tick = at >> shift_;
    if (tick <= tick_) {
      put(near_, due);
    } else if (tick - tick_ >= kTicks) {
      put(far_, due);
    } else {
      const std::size_t place = ring(tick);
      if (static_cast<std::size_t>(slot) >= nodes_.size()) nodes_.resize(static_cast<std::size_t>(slot) + 1);
      nodes_[static_cast<std::size_t>(slot)] = {due, heads_[place]};
      heads_[place] = slot;
      taken_[place / 64] |= std::uint64_t{1} << place % 64;
      next_ = std::min(next_, tick << shift_);
      return;
    }
    next_ = std::min(next_, at);
  }

  // Takes out the next one that is due at or before `now`; kNone if there is none.
  Due pop(Time now) {
    turn(now >> shift_);
    std::vector<Due>& heap = far_.empty() || (!near_.empty() && far_.front() > near_.front()) ? near_ : far_;
    Due due{0, 0, kNone};
    if (!heap.empty() && heap.front().at <= now) {
      due = heap.front();
      std::pop_heap(heap.begin(), heap.end(), std::greater<>{});
      heap.pop_back();
      --size_;
    }
    next_ = kNever;
    if (!near_.empty()) next_ = near_.front().at;
    if (!far_.empty()) next_ = std::min(next_, far_.front().at);
    if (const Time ahead = next_taken(); ahead > 0) next_ = std::min(next_, (tick_ + ahead) << shift_);
    return due;
  }

  template <class See>
  void each(See see) const {
    for (const Due& due : near_) see(due.slot);
    for (const Due& due : far_) see(due.slot);
    for (const Id head : heads_) {
      for (Id slot = head; slot != kNone; slot = nodes_[static_cast<std::size_t>(slot)].next) see(slot);
    }
  }

  void clear() {
    if (empty()) return;
    near_.clear();
    far_.clear();
    heads_.fill(kNone);
    taken_.fill(0);
    size_ = 0;
    next_ = kNever;
  }

 private:
  struct Node {
    Due due;
    Id next;
  };
  static constexpr Time kTicks = 1024;
  static std::size_t ring(Time tick) { return static_cast<std::size_t>(tick & (kTicks - 1)); }

  static void put(std::vector<Due>& heap, const Due& due) {
    heap.push_back(due);
    std::push_heap(heap.begin(), heap.end(), std::greater<>{});
  }

  // The ring's lists up to this tick go to the near heap.
  void turn(Time tick) {
    for (Time ahead = next_taken(); ahead > 0 && tick_ + ahead <= tick; ahead = next_taken()) {
      tick_ += ahead;
      const std::size_t place = ring(tick_);
      for (Id slot = heads_[place]; slot != kNone; slot = nodes_[static_cast<std::size_t>(slot)].next) {
        put(near_, nodes_[static_cast<std::size_t>(slot)].due);
      }
      heads_[place] = kNone;
      taken_[place / 64] &= ~(std::uint64_t{1} << place % 64);
    }
    tick_ = std::max(tick_, tick);
  }

  // How many ticks ahead the next list stands; 0 if the ring is empty.
  Time next_taken() const {
    const std::size_t first = ring(tick_ + 1);
    std::size_t word = first / 64;
    std::uint64_t bits = taken_[word] & (~std::uint64_t{0} << first % 64);
    for (std::size_t seen = 0; seen <= taken_.size(); ++seen) {
      if (bits != 0) {
        const std::size_t place = word * 64 + static_cast<std::size_t>(std::countr_zero(bits));
        return static_cast<Time>((place - first) & static_cast<std::size_t>(kTicks - 1)) + 1;
      }
      word = (word + 1) % taken_.size();
      bits = taken_[word];
    }
    return 0;
  }

  int shift_;
  Time tick_ = 0;
  Time next_ = kNever;
  std::size_t size_ = 0;
  std::uint32_t order_ = 0;
  std::array<Id, kTicks> heads_;
  std::array<std::uint64_t, kTicks / 64> taken_{};
  std::vector<Node> nodes_;
  std::vector<Due> near_, far_;
};

}  // namespace vestigo
