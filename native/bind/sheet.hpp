// bind/sheet.hpp: tallies as NumPy arrays, one row a tally.
#pragma once

#include <vector>

#include "array.hpp"
#include "vestigo/slices.hpp"

namespace vestigo::bind {

class Sheet {
 public:
  void add(const Tally& tally) { add(tally, tally.spans); }
  void add(const Slice& slice) { add(slice.counted, slice.spans); }

  nb::dict arrays() && {
    nb::dict result;
    result["counts"] = rows(std::move(counts_), kCounts);
    result["sums_high"] = rows(std::move(sums_high_), kSums);
    result["sums_low"] = rows(std::move(sums_low_), kSums);
    result["mosts"] = rows(std::move(mosts_), kMosts);
#define VESTIGO_SPANS(place, name) result[#name] = std::move(spans_[place]).arrays();
#include "vestigo/tally.def"
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
      const std::size_t begin = spans_.size();
      spans_.resize(begin + occurred.size());
      times_.resize(begin + occurred.size());
      for (std::size_t i = 0; i < occurred.size(); ++i) {
        spans_[begin + i] = occurred[i].first;
        times_[begin + i] = occurred[i].second;
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
  void add(const Counted& counted, const std::array<Times, kSpans>& spans) {
    counts_.insert(counts_.end(), counted.counts.begin(), counted.counts.end());
    for (const Int128 sum : counted.sums) {
      sums_high_.push_back(static_cast<std::int64_t>(sum >> 64));
      sums_low_.push_back(static_cast<std::uint64_t>(sum));
    }
#define VESTIGO_MOST(name, in_tally) mosts_.push_back(counted.in_tally);
#include "vestigo/tally.def"
    for (std::size_t of = 0; of < kSpans; ++of) spans_[of].add(spans[of]);
  }

  std::vector<std::int64_t> counts_, sums_high_, mosts_;
  std::vector<std::uint64_t> sums_low_;
  std::array<Spans, kSpans> spans_;
};

}  // namespace vestigo::bind
