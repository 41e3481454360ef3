// vestigo/slices.hpp: the counted time in equal slices, and what was counted in each for all
// look-ups together.
#pragma once

#include <algorithm>
#include <array>
#include <utility>
#include <vector>

#include "tally.hpp"

namespace vestigo {

struct Slice {
  Time begins = 0, ends = 0;
  Counted counted;
  std::array<Occurred, kSpans> spans;
  std::array<bool, kSpans> in_bins{};  // whether they stand for bins
};

class Slices {
 public:
  using Histograms = std::array<std::vector<Histogram*>, kSpans>;  // those of all look-ups

  // `origin` is the start of the first slice and `width` > 0. Both are whole seconds, so that a
  // clock second lies in one slice. There are at most `most` slices. If `split` is not 0, the spans
  // in bins of all slices before this one are told together, with the last of these slices, and
  // those of the others with the last of them. This takes less time and memory. There must be more
  // slices than that.
  Slices(Time origin, Time width, std::size_t most, std::size_t split = 0)
      : origin_(origin),
        width_(width),
        begins_(origin),
        per_ns_(1.0 / static_cast<double>(width)),
        most_(most),
        split_(split),
        idle_(most),
        idle_rate_(most + 1) {
    done_.reserve(most);
  }

  Time end() const { return begins_ + width_; }
  bool last() const { return done_.size() + 1 >= most_; }
  const std::vector<Slice>& done() const { return done_; }

  void count_from(Time now) {
    counted_from_ = now;
    present_from_ = std::max(begins_, now);
  }

  // The first counted moment of the current slice. Before counting begins, a time before all
  // others.
  Time present_from() const { return present_from_; }

  // Ends the current slice: what was counted in it is what was counted so far, less what was
  // counted before. `so_far` is everything up to `ends`, but its peaks and maxima are those of the
  // slice.
  void close(Time ends, const Counted& so_far, const Histograms& histograms, bool is_end) {
    Slice slice{std::max(begins_, counted_from_), ends, so_far, {}, {}};
    slice.counted.subtract(before_);
    const bool tells_bins = is_end || split_ == 0 || done_.size() + 1 == split_;
    for (std::size_t of = 0; of < kSpans; ++of) {
      slice.in_bins[of] = spans_[of].in_bins() || some_in_bins(histograms[of]);
      if (slice.in_bins[of] && !tells_bins) continue;
      slice.spans[of] = spans_[of].follow(histograms[of]);
      slice.in_bins[of] = spans_[of].in_bins();
    }
    done_.push_back(std::move(slice));
    before_ = so_far;
    begins_ = present_from_ = starts(done_.size());
  }

  // `bytes` were held without another hit since `from`, which lies in an earlier slice. All of that
  // time is counted now, and this gives each slice its part. What whole slices get is kept as a
  // rate that begins in one slice and ends in another.
  void spread_idle(Bytes bytes, Time from) {
    const std::size_t there = index(from), here = done_.size();
    idle_[there] += byte_time(bytes, starts(there + 1) - from);
    idle_[here] -= byte_time(bytes, begins_ - from);
    idle_rate_[there + 1] += bytes;
    idle_rate_[here] -= bytes;
  }

  // The memory that they take.
  std::size_t bytes() const {
    std::size_t bytes = done_.size() * sizeof(Slice);
    for (const Slice& slice : done_) {
      for (const Occurred& spans : slice.spans) bytes += spans.size() * sizeof spans[0];
    }
    for (const Histogram& histogram : spans_) bytes += histogram.bytes();
    return bytes;
  }

  // After the last slice is closed.
  void settle_idle() {
    spans_ = {};
    Int128 rate = 0;
    for (std::size_t i = 0; i < done_.size(); ++i) {
      rate += idle_rate_[i];
      done_[i].counted.sums[kIdleHeld] += idle_[i] + rate * width_;
    }
  }

 private:
  static bool some_in_bins(const std::vector<Histogram*>& histograms) {
    return std::any_of(histograms.begin(), histograms.end(),
                       [](const Histogram* one) { return one->in_bins(); });
  }

  Time starts(std::size_t slice) const { return origin_ + width_ * static_cast<Time>(slice); }

  std::size_t index(Time at) const {
    auto i = static_cast<std::size_t>(static_cast<double>(at - origin_) * per_ns_);
    while (starts(i) > at) --i;
    while (starts(i + 1) <= at) ++i;
    return i;
  }

  Time origin_, width_, begins_;
  double per_ns_;
  std::size_t most_, split_;
  Time counted_from_ = 0, present_from_ = kGone;
  Counted before_;
  std::array<Histogram, kSpans> spans_;  // of all that was counted before
  std::vector<Slice> done_;
  std::vector<Int128> idle_, idle_rate_;
};

}  // namespace vestigo
