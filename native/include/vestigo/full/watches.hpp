// vestigo/full/watches.hpp: when entries that nobody touches are collected.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

#include "compartments.hpp"

namespace vestigo::full {

// Most come in the order in which they are due. These stand in a queue, the others in a heap. A
// watch that is given up stays in its place until it comes first, or until most are given up.
class Watches {
 public:
  explicit Watches(std::span<Slot> slots) : slots_(slots) {}

  Time next_at() const { return next_at_; }

  // Watches a slot that was not watched. Of slots due at the same moment, the lower key comes
  // first, then the lower compartment.
  void add(Time at, Id key, Id number, Id slot) {
    if (queue_.size() - first_ + heap_.size() > 2 * live_ + kSome) sweep();
    const Watch watch{at, key, number, slot, ++count(slot)};
    ++live_;
    if (first_ == queue_.size() || later(watch, queue_.back())) {
      queue_.push_back(watch);
    } else {
      heap_.push_back(watch);
      std::push_heap(heap_.begin(), heap_.end(), later);
    }
    next_at_ = std::min(next_at_, at);
  }

  Id take_first() {
    const bool in_heap =
        first_ == queue_.size() || (!heap_.empty() && later(queue_[first_], heap_.front()));
    const Id slot = (in_heap ? heap_.front() : queue_[first_]).slot;
    give_up(slot);
    return slot;
  }

  // Stops watching the slot, if it was watched.
  void give_up(Id slot) {
    if (count(slot) % 2 == 0) return;
    ++count(slot);
    --live_;
    bring_first();
  }

 private:
  static constexpr std::size_t kSome = 64;
  struct Watch {
    Time at;
    Id key, number, slot;
    std::uint32_t count;
  };
  static bool later(const Watch& a, const Watch& b) {
    if (a.at != b.at) return a.at > b.at;
    return a.key > b.key || (a.key == b.key && a.number > b.number);
  }

  std::uint32_t& count(Id slot) const { return slots_[index(slot)].watch; }
  bool is_live(const Watch& watch) const { return count(watch.slot) == watch.count; }

  // Removes given-up watches, until the first one is not given up.
  void bring_first() {
    while (first_ < queue_.size() && !is_live(queue_[first_])) ++first_;
    while (!heap_.empty() && !is_live(heap_.front())) {
      std::pop_heap(heap_.begin(), heap_.end(), later);
      heap_.pop_back();
    }
    next_at_ = std::min(first_ == queue_.size() ? kNever : queue_[first_].at,
                        heap_.empty() ? kNever : heap_.front().at);
    if (2 * first_ > queue_.size() + kSome) {
      queue_.erase(queue_.begin(), queue_.begin() + static_cast<std::ptrdiff_t>(first_));
      first_ = 0;
    }
  }

  [[gnu::noinline]] void sweep() {
    const auto is_over = [this](const Watch& watch) { return !is_live(watch); };
    queue_.erase(queue_.begin(), queue_.begin() + static_cast<std::ptrdiff_t>(first_));
    first_ = 0;
    std::erase_if(queue_, is_over);
    std::erase_if(heap_, is_over);
    std::make_heap(heap_.begin(), heap_.end(), later);
  }

  std::vector<Watch> queue_, heap_;
  std::size_t first_ = 0;  // of the queue
  std::size_t live_ = 0;
  std::span<Slot> slots_;
  Time next_at_ = kNever;
};

}  // namespace vestigo::full
