// vestigo/histogram.hpp: how often each span of time occurred.
//
// It is exact while few distinct spans have occurred. After that it has bins of less than 1 %
// width. Bins divide each power of two into 128 equal parts. Below 256 every number has its own
// bin.
#pragma once

#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <cstring>
#include <span>
#include <utility>
#include <vector>

#include "numbers.hpp"

namespace vestigo {

// Spans that occurred, the shortest first, and how often each did.
using Occurred = std::vector<std::pair<Time, std::uint32_t>>;

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
      if (span != latest_.span) [[unlikely]]
        return add_exact(span, times);
      latest_.times += times;
      return;
    }
    const std::size_t i = bin(span);
    if (i >= bins_) [[unlikely]]
      grow(i + 1);
    counts_[i] += times;
    touched_[i / kBlock] = 1;
  }

  // Adds everything that `other` holds.
  void add(const Histogram& other) {
    if (other.bins_ > 0) {
      spill();
      if (other.bins_ > bins_) grow(other.bins_);
      for (std::size_t i = 0; i < other.bins_; ++i) counts_[i] += other.counts_[i];
      std::fill(touched_.begin(), touched_.end(), std::uint8_t{1});
    }
    add_exact_of(other);
  }

  // The memory that it takes.
  std::size_t bytes() const {
    return sizeof *this + exact_.size() * sizeof(Exact) + counts_.size() * sizeof counts_[0] +
           touched_.size();
  }

  static constexpr std::size_t kAllBins = (64 - 7) * 128;  // for all spans

  // Whether it has changed to bins.
  bool in_bins() const { return bins_ > 0; }

  // All spans that occurred. The middle of a bin stands for all spans in it.
  Occurred occurred() const {
    Occurred found;
    each_exact([&](Time span, std::uint32_t times) { found.emplace_back(span, times); });
    std::sort(found.begin(), found.end());
    for (std::size_t i = 0; i < bins_; ++i) {
      if (counts_[i] > 0) found.emplace_back(value(i), counts_[i]);
    }
    return found;
  }

  // Becomes the sum of `parts`, which hold at least what this one holds, and returns what they hold
  // more. No histogram is copied, because there can be many slices of time. Nothing else follows
  // these parts.
  Occurred follow(std::span<Histogram* const> parts) {
    Occurred few;  // of those that are exact
    bool has_bins = bins_ > 0;
    for (const Histogram* const part : parts) {
      has_bins |= part->bins_ > 0;
      part->each_exact([&](Time span, std::uint32_t times) { few.emplace_back(span, times); });
    }
    if (!has_bins) {
      Histogram sum;
      for (const auto& [span, times] : few) sum.add(span, times);
      if (sum.bins_ == 0) {
        Occurred found = sum.more_than(*this);
        *this = std::move(sum);
        return found;
      }
    }
    if (few.size() <= kFew) return follow_in_bins(parts, few);
    Histogram many;
    for (const auto& [span, times] : few) many.add(span, times);
    many.spill();
    std::vector<Histogram*> all(parts.begin(), parts.end());
    all.push_back(&many);
    return follow_in_bins(all, {});
  }

 private:
  static constexpr std::size_t kParts = 128, kPlaces = 2 * kFew;
  static constexpr std::size_t kBlock =
      16;  // bins come in whole blocks, most of which do not change from slice to slice
  static constexpr std::size_t kBlocks = kAllBins / kBlock;
  static_assert(kBlocks % sizeof(std::uint64_t) == 0);
  struct Exact {
    Time span = -1;  // no span is negative
    std::uint32_t times = 0;
  };

  // A span that differs from the latest one.
  [[gnu::noinline]] void add_exact(Time span, std::uint32_t times) {
    if (distinct_ == 0) {
      distinct_ = 1;
      latest_ = {span, times};
      return;
    }
    if (exact_.empty()) {
      exact_.resize(kPlaces);
      exact_[find(latest_.span)].span = latest_.span;
    }
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

  std::uint32_t times_of(Time span) const {
    if (exact_.empty()) return span == latest_.span ? latest_.times : 0;
    return exact_[find(span)].times + (span == latest_.span ? latest_.times : 0);
  }

  // `few` occurred in parts that are still exact.
  Occurred follow_in_bins(std::span<Histogram* const> parts, const Occurred& few) {
    spill();
    std::array<std::uint8_t, kBlocks> touched{};
    for (Histogram* const part : parts) {
      if (part->bins_ > bins_) grow(part->bins_);
      for (std::size_t block = 0; block < part->touched_.size(); ++block)
        touched[block] |= part->touched_[block];
      std::fill(part->touched_.begin(), part->touched_.end(), std::uint8_t{0});
    }
    for (const auto& [span, times] : few) {
      if (bin(span) >= bins_) grow(bin(span) + 1);
      touched[bin(span) / kBlock] = 1;
    }
    Occurred found;
    for (std::size_t block = 0; block < kBlocks; block += sizeof(std::uint64_t)) {
      std::uint64_t some;
      std::memcpy(&some, &touched[block], sizeof some);
      for (std::size_t i = block; some != 0 && i < block + sizeof some; ++i) {
        if (touched[i]) follow_block(i * kBlock, parts, few, found);
      }
    }
    return found;
  }

  void follow_block(std::size_t begin, std::span<Histogram* const> parts, const Occurred& few,
                    Occurred& found) {
    std::array<std::uint32_t, kBlock> sum{};
    for (const Histogram* const part : parts) {
      if (begin >= part->bins_) continue;
      const std::uint32_t* const __restrict__ counts = part->counts_.data() + begin;
      for (std::size_t i = 0; i < kBlock; ++i) sum[i] += counts[i];
    }
    for (const auto& [span, times] : few) {
      if (const std::size_t i = bin(span); i / kBlock == begin / kBlock) sum[i - begin] += times;
    }
    std::uint32_t* const own = &counts_[begin];
    if (std::equal(sum.begin(), sum.end(), own)) return;
    for (std::size_t i = 0; i < kBlock; ++i) {
      if (sum[i] > own[i]) found.emplace_back(value(begin + i), sum[i] - own[i]);
      own[i] = sum[i];
    }
  }

  // Of two that are exact.
  Occurred more_than(const Histogram& before) const {
    Occurred found;
    each_exact([&](Time span, std::uint32_t times) {
      if (const std::uint32_t more = times - before.times_of(span); more > 0)
        found.emplace_back(span, more);
    });
    std::sort(found.begin(), found.end());
    return found;
  }

  // The place of a span, or the place where it would be.
  std::size_t find(Time span) const {
    auto place =
        static_cast<std::size_t>(static_cast<std::uint64_t>(span) * 0x9E3779B97F4A7C15 >> 57);
    static_assert(kPlaces == 1 << 7);
    while (exact_[place].span != span && exact_[place].span >= 0) place = (place + 1) % kPlaces;
    return place;
  }

  template <class Visit>
  void each_exact(Visit visit) const {
    if (exact_.empty() && latest_.times > 0) visit(latest_.span, latest_.times);
    for (const Exact& one : exact_) {
      const std::uint32_t times = one.times + (one.span == latest_.span ? latest_.times : 0);
      if (one.span >= 0 && times > 0) visit(one.span, times);
    }
  }

  void add_exact_of(const Histogram& other) {
    other.each_exact([this](Time span, std::uint32_t times) { add(span, times); });
  }

  // Changes to bins.
  [[gnu::noinline]] void spill() {
    if (bins_ > 0) return;
    Histogram few;
    std::swap(few.exact_, exact_);
    few.latest_ = std::exchange(latest_, {});
    distinct_ = 0;
    grow(1);
    add_exact_of(few);
  }

  [[gnu::noinline]] void grow(std::size_t bins) {
    bins_ = (bins + kBlock - 1) / kBlock * kBlock;
    counts_.resize(bins_);
    touched_.resize(bins_ / kBlock);
  }

  Exact latest_;              // the latest span, which is not yet counted in `counts_`
  std::vector<Exact> exact_;  // spans by hash, while there are few, but more than one
  std::size_t distinct_ = 0;
  std::vector<std::uint32_t> counts_;
  std::vector<std::uint8_t> touched_;  // for each block of bins, whether it was added to since it
                                       // was followed
  std::size_t bins_ =
      0;  // counts_.size(), without the division that this costs at every read; 0 while exact
};

// Counts in bins that are taken out again and again.
class Bins {
 public:
  void add(std::size_t bin, std::uint32_t times) {
    counts_[bin] += times;
    some_[bin / kWord] |= std::uint64_t{1} << bin % kWord;
  }

  // Calls `visit(bin, times)` for all that was added, in order, and forgets it.
  template <class Visit>
  void take(Visit visit) {
    for (std::size_t word = 0; word < some_.size(); ++word) {
      for (std::uint64_t bits = std::exchange(some_[word], 0); bits != 0; bits &= bits - 1) {
        const std::size_t bin = word * kWord + static_cast<std::size_t>(std::countr_zero(bits));
        visit(bin, std::exchange(counts_[bin], 0));
      }
    }
  }

 private:
  static constexpr std::size_t kWord = 64;
  static_assert(Histogram::kAllBins % kWord == 0);

  std::vector<std::uint32_t> counts_ = std::vector<std::uint32_t>(Histogram::kAllBins);
  std::array<std::uint64_t, Histogram::kAllBins / kWord> some_{};  // a bit for each bin
};

}  // namespace vestigo
