// vestigo/pending.hpp: which reads began a load that has not ended, and which of these loads ends
// next.
//
// Ends has a place for the end of every read's load. A load that begins sets the byte at its place.
// So the next byte that is set is the next load to end. There is no queue, and reads that were hits
// are skipped eight at a time.
#pragma once

#include <bit>
#include <cstring>
#include <vector>

#include "columns.hpp"

namespace vestigo {

class Pending {
 public:
  // Makes room for the ends of a batch, before its first load. The byte after the last one stands
  // for "never". Loads under way move to their places in this batch.
  void open(const Ends& ends) {
    std::vector<Id> under_way;
    for (std::size_t i = 0; i < ends.carried.size(); ++i) {
      if (begun_[static_cast<std::size_t>(ends.carried_from) + i])
        under_way.push_back(ends.carried[i]);
    }
    begun_.assign(ends.count + kStep, 0);
    begun_[ends.count] = 1;
    last_ = 0;
    move_to(ends, ends.count);
    for (const Id load : under_way) begin(ends, load);
  }

  Time next_at() const { return next_at_; }
  std::size_t next() const { return next_; }

  void begin(const Ends& ends, Id load) {
    const auto place = index(load);
    begun_[place] = 1;
    if (place < next_) [[unlikely]]
      move_to(ends, place);
    if (place > last_) last_ = place;
  }

  // Takes the load that ends next.
  Id end(const Ends& ends) {
    const auto load = static_cast<Id>(next_);
    move_to(
        ends,
        next_ < last_
            ? search(next_ + 1)
            : ends.count);  // the load with the last place is under way until it is the next one
    return load;
  }

  // Gives up loads under way for which `goes(load)` is true.
  template <class Goes>
  void abandon(const Ends& ends, Goes goes) {
    const std::size_t first = next_;
    for (std::size_t place = first; place < ends.count && place <= last_;
         place = search(place + 1)) {
      if (goes(static_cast<Id>(place))) begun_[place] = 0;
    }
    move_to(ends, search(first));
  }

 private:
  static constexpr std::size_t kStep = sizeof(std::uint64_t);

  // The first byte that is set, from `place` on.
  std::size_t search(std::size_t place) const {
    for (;; place += kStep) {
      std::uint64_t bytes;
      std::memcpy(&bytes, begun_.data() + place, kStep);
      if (bytes == 0) continue;
      const int bits = std::endian::native == std::endian::little ? std::countr_zero(bytes)
                                                                  : std::countl_zero(bytes);
      return place + static_cast<std::size_t>(bits) / 8;
    }
  }

  void move_to(const Ends& ends, std::size_t place) {
    next_ = place;
    next_at_ = ends.at[place];
  }

  std::vector<std::uint8_t> begun_;
  std::size_t next_ = 0;  // the place of the load that ends next
  std::size_t last_ = 0;  // the last place at which a load has begun
  Time next_at_ = kNever;
};

}  // namespace vestigo
