// vestigo/histogram.hpp: how often each span of time occurred, in bins of less than 1% width.
//
// A bin is a power of two divided into 128 equal parts; below 256 every number has its own.
#pragma once

#include <bit>
#include <cstdint>
#include <vector>

#include "numbers.hpp"

namespace vestigo {

class Histogram {
 public:
  static std::size_t bin(Time span) {
    const auto value = static_cast<std::uint64_t>(span);
    const int shift = value < kParts ? 0 : static_cast<int>(std::bit_width(value)) - 8;
    return static_cast<std::size_t>(shift) * kParts + static_cast<std::size_t>(value >> shift);
  }

  // The middle of a bin.
  static Time value(std::size_t bin) {
    if (bin < 2 * kParts) return static_cast<Time>(bin);
    const std::size_t shift = bin / kParts - 1;
    return largest(bin) - static_cast<Time>((std::uint64_t{1} << shift) / 2);
  }

  // The largest span in a bin.
  static Time largest(std::size_t bin) {
    if (bin < 2 * kParts) return static_cast<Time>(bin);
    const std::size_t shift = bin / kParts - 1;
    const std::uint64_t lowest = static_cast<std::uint64_t>(bin - shift * kParts) << shift;
    return static_cast<Time>(lowest + ((std::uint64_t{1} << shift) - 1));
  }

  void add(Time span, std::uint32_t times = 1) {
    const std::size_t i = bin(span);
    if (i >= bins_) [[unlikely]] grow(i + 1);
    counts_[i] += times;
  }

  void add(const Histogram& other) {
    if (other.bins_ > bins_) grow(other.bins_);
    for (std::size_t i = 0; i < other.counts_.size(); ++i) counts_[i] += other.counts_[i];
  }

  // `other` holds no more of any bin than this.
  void subtract(const Histogram& other) {
    for (std::size_t i = 0; i < other.counts_.size(); ++i) counts_[i] -= other.counts_[i];
  }

  const std::vector<std::uint32_t>& counts() const { return counts_; }

 private:
  [[gnu::noinline]] void grow(std::size_t bins) {
    counts_.resize(bins);
    bins_ = bins;
  }

  static constexpr std::size_t kParts = 128;
  std::vector<std::uint32_t> counts_;
  std::size_t bins_ = 0;  // counts_.size(), without the division that this costs at every read
};

}  // namespace vestigo
