// vestigo/recency.hpp: keys by their last use: how many keys, and how many bytes, were used since a
// key was.
//
// Each use takes the next position. A tree of partial sums over positions tells what stands behind
// a position (B. T. Bennett, V. J. Kruskal, "LRU stack processing", IBM Journal of Research and
// Development 19(4), 1975; P. M. Fenwick, "A new data structure for cumulative frequency tables",
// 1994). Entries are counted in bits, with 512 in a leaf of the tree. For bytes, a leaf has 16
// positions.
#pragma once

#include <array>
#include <bit>
#include <vector>

#include "large_pages.hpp"
#include "numbers.hpp"

namespace vestigo {

// Partial sums over leaves.
template <class Amount>
class PartialSums {
 public:
  explicit PartialSums(std::size_t leaves) : sums_(leaves + 1) {}

  void add(std::size_t leaf, Amount more) {
    for (std::size_t i = leaf + 1; i < sums_.size(); i += i & -i) sums_[i] += more;
  }
  // The sum of all leaves before this one.
  Amount before(std::size_t leaf) const {
    Amount sum = 0;
    for (std::size_t i = leaf; i > 0; i -= i & -i) sum += sums_[i];
    return sum;
  }
  void clear() { std::fill(sums_.begin(), sums_.end(), Amount{}); }

 private:
  LargeVector<Amount> sums_;
};

class Recency {
 public:
  explicit Recency(std::size_t keys)
      : places_(keys),
        group_((2 * keys + 2 * kBits) / kBits * kBits),
        keys_at_(group_),
        bytes_at_(group_),
        taken_(group_ / 64),
        counts_(group_ / kBits),
        bytes_(group_ / kFew) {}

  // The depth of a key, itself included. 0 entries means that it is not there.
  struct Depth {
    std::int64_t entries = 0;
    Bytes bytes = 0;
    Time used_at = 0;
  };
  Depth depth(Id key) const {
    const Place& place = places_[index(key)];
    if (place.position == kNowhere) return {};
    const std::size_t position = place.position;
    return {held_ - count_before(position), held_bytes_ - bytes_before(position), place.used_at};
  }

  // Makes the key the latest, with this many bytes.
  void use(Id key, Bytes bytes, Time now) {
    forget(key);
    if (next_ == group_) compact();
    Place& place = places_[index(key)];
    place = {now, static_cast<std::uint32_t>(next_)};
    keys_at_[next_] = key;
    bytes_at_[next_] = bytes;
    change(next_++, 1, bytes);
  }

  void forget(Id key) {
    Place& place = places_[index(key)];
    if (place.position == kNowhere) return;
    change(place.position, -1, -bytes_at_[place.position]);
    bytes_at_[place.position] = 0;
    place.position = kNowhere;
  }

  // Forgets all keys for which `goes(key)` is true.
  template <class Goes>
  void forget_where(Goes goes) {
    each([&](std::size_t position) {
      if (goes(keys_at_[position])) forget(keys_at_[position]);
    });
  }

  // What is there.
  std::int64_t held() const { return held_; }
  Bytes held_bytes() const { return held_bytes_; }

  // What was used since `other` was last. Keys that it has, too, are not there any more.
  void use_all_of(const Recency& other) {
    other.each([&](std::size_t position) {
      const Id key = other.keys_at_[position];
      use(key, other.bytes_at_[position], other.places_[index(key)].used_at);
    });
  }

  // Fetches memory that a use of the key will touch. The second call comes after the memory of the
  // first has arrived.
  [[gnu::always_inline]] void fetch(Id key) const { __builtin_prefetch(&places_[index(key)], 1); }
  [[gnu::always_inline]] void fetch_position(Id key) const {
    const std::uint32_t position = places_[index(key)].position;
    if (position == kNowhere) return;
    __builtin_prefetch(&bytes_at_[position / kFew * kFew], 1);
    __builtin_prefetch(&bytes_at_[position], 1);
    __builtin_prefetch(&taken_[position / 64], 1);
  }

 private:
  static constexpr std::uint32_t kNowhere = UINT32_MAX;
  static constexpr std::size_t kBits = 512, kFew = 16;
  struct Place {
    Time used_at = 0;
    std::uint32_t position = kNowhere;
  };

  void change(std::size_t position, std::int64_t one, Bytes bytes) {
    taken_[position / 64] ^= std::uint64_t{1} << position % 64;
    counts_.add(position / kBits, static_cast<std::int32_t>(one));
    bytes_.add(position / kFew, bytes);
    held_ += one;
    held_bytes_ += bytes;
  }

  std::int64_t count_before(std::size_t position) const {
    std::int64_t count = counts_.before(position / kBits);
    for (std::size_t word = position / kBits * (kBits / 64); word < position / 64; ++word)
      count += std::popcount(taken_[word]);
    return count + std::popcount(taken_[position / 64] & ((std::uint64_t{1} << position % 64) - 1));
  }
  Bytes bytes_before(std::size_t position) const {
    Bytes bytes = bytes_.before(position / kFew);
    for (std::size_t i = position / kFew * kFew; i < position; ++i) bytes += bytes_at_[i];
    return bytes;
  }

  template <class Visit>
  void each(Visit visit) const {
    for (std::size_t word = 0; word < taken_.size(); ++word) {
      for (std::uint64_t bits = taken_[word]; bits != 0; bits &= bits - 1)
        visit(word * 64 + static_cast<std::size_t>(std::countr_zero(bits)));
    }
  }

  // Numbers positions anew from the first on.
  [[gnu::noinline]] void compact() {
    std::size_t kept = 0;
    each([&](std::size_t position) {
      const Id key = keys_at_[position];
      const Bytes bytes = bytes_at_[position];
      keys_at_[kept] = key;
      bytes_at_[kept] = bytes;
      places_[index(key)].position = static_cast<std::uint32_t>(kept++);
    });
    std::fill(bytes_at_.begin() + static_cast<std::ptrdiff_t>(kept), bytes_at_.end(), 0);
    std::fill(taken_.begin(), taken_.end(), 0);
    counts_.clear();
    bytes_.clear();
    held_ = held_bytes_ = 0;
    for (next_ = 0; next_ < kept; ++next_) change(next_, 1, bytes_at_[next_]);
  }

  LargeVector<Place> places_;
  std::size_t group_;
  LargeVector<Id> keys_at_;
  LargeVector<Bytes> bytes_at_;
  std::vector<std::uint64_t> taken_;
  PartialSums<std::int32_t> counts_;
  PartialSums<Bytes> bytes_;
  std::size_t next_ = 0;
  std::int64_t held_ = 0;
  Bytes held_bytes_ = 0;
};

}  // namespace vestigo
