// vestigo/slices.hpp: the counted time in equal slices, and what was counted in each for all
// look-ups together.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

#include "tally.hpp"

namespace vestigo {

struct Slice {
  Time begins = 0, ends = 0;
  Counted counted;
  Occurred read_times, answer_ages, stale_ages;
};

class Slices {
 public:
  using Histograms = std::span<const Histogram* const>;

  // `origin` is the start of the first slice and `width` > 0. Both are whole seconds, so that a
  // clock second lies in one slice. There are at most `most` slices.
  Slices(Time origin, Time width, std::size_t most)
      : origin_(origin),
        width_(width),
        begins_(origin),
        per_ns_(1.0 / static_cast<double>(width)),
        most_(most),
        idle_(most),
        idle_rate_(most + 1) {}

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
  // slice. The histograms are those of all look-ups.
  void close(Time ends, const Counted& so_far, Histograms read_times, Histograms answer_ages,
             Histograms stale_ages) {
    done_.push_back({std::max(begins_, counted_from_), ends, so_far, read_times_.follow(read_times),
                     answer_ages_.follow(answer_ages), stale_ages_.follow(stale_ages)});
    done_.back().counted.subtract(before_);
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

  // After the last slice is closed.
  void settle_idle() {
    Int128 rate = 0;
    for (std::size_t i = 0; i < done_.size(); ++i) {
      rate += idle_rate_[i];
      done_[i].counted.sums[kIdleHeld] += idle_[i] + rate * width_;
    }
  }

 private:
  Time starts(std::size_t slice) const { return origin_ + width_ * static_cast<Time>(slice); }

  std::size_t index(Time at) const {
    auto i = static_cast<std::size_t>(static_cast<double>(at - origin_) * per_ns_);
    while (starts(i) > at) --i;
    while (starts(i + 1) <= at) ++i;
    return i;
  }

  Time origin_, width_, begins_;
  double per_ns_;
  std::size_t most_;
  Time counted_from_ = 0, present_from_ = kGone;
  Counted before_;
  Histogram read_times_, answer_ages_, stale_ages_;  // of all that was counted before
  std::vector<Slice> done_;
  std::vector<Int128> idle_, idle_rate_;
};

}  // namespace vestigo
