// vestigo/histogram.hpp: how often each span of time occurred.
//
// It is exact while few distinct spans have occurred. After that it has bins of less than 1 % width. Bins divide each power of two into 128 equal parts. Below
// 256 every number has its own bin.
#pragma once

#include <algorithm>
#include <bit>
#include <cstdint>
#include <utility>
#include <vector>

#include "numbers.hpp"

namespace vestigo {

class Histogram {
 public:
  static constexpr std::size_t kFew = 64;  // how many distinct spans are kept exactly

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

  [[gnu::always_inline]] void add(Time span, std::uint32_t times = 1) {
    if (bins_ == 0) {
      if (span != latest_.span) [[unlikely]] return add_exact(span, times);
      latest_.times += times;
      return;
    }
    const std::size_t i = bin(span);
    if (i >= bins_) [[unlikely]] grow(i + 1);
    counts_[i] += times;
  }

  void add(const Histogram& other) {
    if (other.bins_ > 0) {
      spill();
      if (other.bins_ > bins_) grow(other.bins_);
      for (std::size_t i = 0; i < other.bins_; ++i) counts_[i] += other.counts_[i];
    }
    other.each_exact([this](Time span, std::uint32_t times) { add(span, times); });
  }

  // Adds everything that `other` holds.
  void subtract(const Histogram& other) {
    for (std::size_t i = 0; i < other.bins_; ++i) counts_[i] -= other.counts_[i];
    other.each_exact([this](Time span, std::uint32_t times) {
      bins_ == 0 ? place(span).times -= times : counts_[bin(span)] -= times;
    });
  }

  // Calls `visit(span, times)` for all spans that occurred, the shortest first. The middle of a bin stands for all spans in it.
  template <class Visit>
  void each(Visit visit) const {
    std::vector<std::pair<Time, std::uint32_t>> few;
    each_exact([&few](Time span, std::uint32_t times) { few.emplace_back(span, times); });
    std::sort(few.begin(), few.end());
    for (const auto& [span, times] : few) visit(span, times);
    for (std::size_t i = 0; i < bins_; ++i) {
      if (counts_[i] > 0) visit(value(i), counts_[i]);
    }
  }

 private:
  static constexpr std::size_t kParts = 128, kPlaces = 2 * kFew;
  struct Exact {
    Time span = -1;  // no span is negative
    std::uint32_t times = 0;
  };

  // A span that differs from the latest one.
  [[gnu::noinline]] void add_exact(Time span, std::uint32_t times) {
    if (exact_.empty()) exact_.resize(kPlaces);
    if (latest_.times > 0) exact_[find(latest_.span)].times += latest_.times;
    latest_ = {};
    Exact& here = exact_[find(span)];
    if (here.span != span) {
      if (distinct_ == kFew) {
        spill();
        return add(span, times);
      }
      ++distinct_;
      here.span = span;
    }
    latest_ = {span, times};
  }

  Exact& place(Time span) { return span == latest_.span ? latest_ : exact_[find(span)]; }

  // The place of a span, or the place where it would be.
  std::size_t find(Time span) const {
    auto place = static_cast<std::size_t>(static_cast<std::uint64_t>(span) * 0x9E3779B97F4A7C15 >> 57);
    static_assert(kPlaces == 1 << 7);
    while (exact_[place].span != span && exact_[place].span >= 0) place = (place + 1) % kPlaces;
    return place;
  }

  template <class Visit>
  void each_exact(Visit visit) const {
    for (const Exact& one : exact_) {
      const std::uint32_t times = one.times + (one.span == latest_.span ? latest_.times : 0);
      if (one.span >= 0 && times > 0) visit(one.span, times);
    }
  }

  // Changes to bins.
  [[gnu::noinline]] void spill() {
    if (bins_ > 0) return;
    const Histogram few = std::exchange(*this, {});
    grow(1);
    few.each_exact([this](Time span, std::uint32_t times) { add(span, times); });
  }

  [[gnu::noinline]] void grow(std::size_t bins) {
    counts_.resize(bins);
    bins_ = bins;
  }

  Exact latest_;              // the latest span, which is not yet counted in `counts_`
  std::vector<Exact> exact_;  // spans by hash, while there are few
  std::size_t distinct_ = 0;
  std::vector<std::uint32_t> counts_;
  std::size_t bins_ = 0;  // counts_.size(), without the division that this costs at every read; 0 while exact
};

}  // namespace vestigo
