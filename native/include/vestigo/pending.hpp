// vestigo/pending.hpp: which reads began a load that has not ended, and which of these ends next.
//
// Ends has a place for the end of every read's load. A load under way is a bit at its place, so that the
// next one to end is the next bit that is set: no queue, and reads that were hits are passed over 64 at a time.
#pragma once

#include <bit>
#include <vector>

#include "columns.hpp"

namespace vestigo {

class Pending {
 public:
  // Before the first load of a batch: makes room for its ends. The bit after the last never ends. Loads that are
  // under way begin anew, at their places in this batch.
  void open(const Ends& ends) {
    std::vector<Id> under_way;
    for (std::size_t i = 0; i < ends.carried.size(); ++i) {
      if (has(ends.carried_from + static_cast<Id>(i))) under_way.push_back(ends.carried[i]);
    }
    words_.assign(ends.count / 64 + 1, 0);
    set(ends.count);
    turn(ends, ends.count);
    for (const Id load : under_way) begin(ends, load);
  }

  bool has(Id load) const { return words_[static_cast<std::size_t>(load) / 64] >> load % 64 & 1; }

  std::size_t next() const { return next_; }
  Time next_at() const { return next_at_; }

  void begin(const Ends& ends, Id load) {
    const auto place = static_cast<std::size_t>(load);
    set(place);
    if (place < next_) [[unlikely]] turn(ends, place);
  }

  // Takes the load that ends next.
  Id end(const Ends& ends) {
    const auto load = static_cast<Id>(next_);
    std::size_t word = next_ / 64;
    words_[word] &= words_[word] - 1;  // all before it have ended
    while (words_[word] == 0) ++word;
    turn(ends, word * 64 + static_cast<std::size_t>(std::countr_zero(words_[word])));
    return load;
  }

 private:
  void set(std::size_t place) { words_[place / 64] |= std::uint64_t{1} << place % 64; }
  void turn(const Ends& ends, std::size_t place) {
    next_ = place;
    next_at_ = ends.at[place];
  }

  std::vector<std::uint64_t> words_;
  std::size_t next_ = 0;  // the place of the load that ends next
  Time next_at_ = kNever;
};

}  // namespace vestigo
