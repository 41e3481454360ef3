// bind/sheet.hpp: tallies as NumPy arrays, one row a tally.
#pragma once

#include <vector>

#include "array.hpp"
#include "vestigo/slices.hpp"

namespace vestigo::bind {

class Sheet {
 public:
  void add(const Tally& tally) {
    add(tally, tally.read_times, tally.answer_ages, tally.stale_ages);
  }
  void add(const Slice& slice) {
    add(slice.counted, slice.spans[kReadTimes], slice.spans[kAnswerAges], slice.spans[kStaleAges]);
  }

  nb::dict arrays() && {
    nb::dict result;
    result["counts"] = rows(std::move(counts_), kCounts);
    result["sums_high"] = rows(std::move(sums_high_), kSums);
    result["sums_low"] = rows(std::move(sums_low_), kSums);
    result["mosts"] = rows(std::move(mosts_), kMosts);
    result["read_times"] = std::move(read_times_).arrays();
    result["answer_ages"] = std::move(answer_ages_).arrays();
    result["stale_ages"] = std::move(stale_ages_).arrays();
    return result;
  }

 private:
  static constexpr std::size_t kMosts = 0
#define VESTIGO_MOST(name, in_tally) +1
#include "vestigo/tally.def"
      ;

  // Histograms one after the other: the spans that occurred, how often, and where each histogram
  // begins.
  class Spans {
   public:
    void add(const Histogram& histogram) { add(histogram.occurred()); }
    void add(const Occurred& occurred) {
      for (const auto& [span, times] : occurred) {
        spans_.push_back(span);
        times_.push_back(times);
      }
      ends_.push_back(static_cast<std::int64_t>(spans_.size()));
    }
    nb::tuple arrays() && {
      return nb::make_tuple(array(std::move(spans_)), array(std::move(times_)),
                            array(std::move(ends_)));
    }

   private:
    std::vector<std::int64_t> spans_, times_, ends_;
  };

  template <class Times>
  void add(const Counted& counted, const Times& read_times, const Times& answer_ages,
           const Times& stale_ages) {
    counts_.insert(counts_.end(), counted.counts.begin(), counted.counts.end());
    for (const Int128 sum : counted.sums) {
      sums_high_.push_back(static_cast<std::int64_t>(sum >> 64));
      sums_low_.push_back(static_cast<std::uint64_t>(sum));
    }
#define VESTIGO_MOST(name, in_tally) mosts_.push_back(counted.in_tally);
#include "vestigo/tally.def"
    read_times_.add(read_times);
    answer_ages_.add(answer_ages);
    stale_ages_.add(stale_ages);
  }

  std::vector<std::int64_t> counts_, sums_high_, mosts_;
  std::vector<std::uint64_t> sums_low_;
  Spans read_times_, answer_ages_, stale_ages_;
};

}  // namespace vestigo::bind
