// vestigo/sum.hpp: what the whole counts, from what its parts counted. docs/semantics.md, "Parts".
//
// Counts, sums and histograms add up. The peak of several parts together and the busiest second and
// minute do not: they come from the courses of the parts.
#pragma once

#include <algorithm>
#include <array>
#include <memory>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "ledger.hpp"

namespace vestigo {

// A part: what it counted, and which number each of its look-ups has in the whole.
struct Part {
  const Ledger* ledger;
  std::span<const Id> lookups;

  const std::vector<Slice>& slices() const { return ledger->slices().done(); }
};
using Parts = std::span<const Part>;

// What several parts hold together.
class HeldTogether {
 public:
  explicit HeldTogether(std::vector<const Course*> courses) : courses_(std::move(courses)) {
    Amount begins;
    for (const Course* const course : courses_) {
      for (const Amount& of_lookup : course->begins) begins.add(of_lookup);
    }
    starts_.push_back(begins);
    for (std::size_t block = 0; block < courses_[0]->blocks.size(); ++block) {
      Amount held, most;
      for (const Course* const course : courses_) {
        held.add(course->blocks[block].held);
        most.add(course->blocks[block].most);
      }
      starts_.push_back(held);
      bounds_.push_back(most);
    }
  }

  // The peaks in the slices from `begin` to `end`. Most blocks cannot hold them: in no block is
  // more held than what the parts hold in it at most.
  Amount most(std::size_t begin, std::size_t end) const {
    const std::size_t blocks_in_slice = courses_[0]->blocks_in_slice;
    const std::size_t first = begin * blocks_in_slice, last = end * blocks_in_slice;
    Amount found = starts_[first];
    std::vector<std::size_t> blocks;
    for (std::size_t block = first; block < last; ++block) found.raise(starts_[block + 1]);
    for (std::size_t block = first; block < last; ++block) {
      if (bounds_[block].exceeds(found)) blocks.push_back(block);
    }
    std::sort(blocks.begin(), blocks.end(),
              [this](std::size_t a, std::size_t b) { return bounds_[a].bytes > bounds_[b].bytes; });
    for (const std::size_t block : blocks) {
      if (bounds_[block].exceeds(found)) found.raise(most_in(block));
    }
    return found;
  }

 private:
  // The changes of a part in a block that were not yet visited.
  struct Left {
    const Changes* changes;
    std::size_t next, end;

    const Change& first() const { return (*changes)[next]; }
  };

  // The changes of all parts in their order: the peaks of a block.
  Amount most_in(std::size_t block) const {
    std::vector<Left> left;
    for (const Course* const course : courses_) {
      const std::size_t from = block == 0 ? 0 : course->blocks[block - 1].end;
      if (from < course->blocks[block].end)
        left.push_back({&course->changes, from, course->blocks[block].end});
    }
    Amount held = starts_[block], most = held;
    while (!left.empty()) {
      std::size_t first = 0;
      for (std::size_t i = 1; i < left.size(); ++i) {
        if (left[i].first().comes_before(left[first].first())) first = i;
      }
      held.add(left[first].first());
      most.raise(held);
      if (++left[first].next == left[first].end)
        left.erase(left.begin() + static_cast<std::ptrdiff_t>(first));
    }
    return most;
  }

  std::vector<const Course*> courses_;
  std::vector<Amount> starts_;  // what is held when each block begins, and at the end
  std::vector<Amount> bounds_;  // what is held in each block at most, or less
};

// The busiest second and minute of several parts together, in each slice and over all of the time.
class CalledTogether {
 public:
  CalledTogether(const std::vector<const Course*>& courses, const std::vector<Slice>& slices)
      : of_slices_(slices.size()) {
    std::size_t count = 0;
    for (const Course* const course : courses) {
      if (course->calls.empty()) continue;
      first_ = std::min(first_, course->calls.front().second);
      end_ = std::max(end_, course->calls.back().second + 1);
      count += course->calls.size();
    }
    if (count == 0) return;
    if (end_ - first_ <= kSparse * static_cast<Time>(count)) {
      const std::vector<std::uint32_t> in_second = by_second(courses);
      find(slices, [&](Time from, Time until) { return busiest_of(in_second, from, until); });
    } else {
      const std::vector<Calls> calls = in_order(courses, count);
      find(slices, [&](Time from, Time until) { return busiest_of(calls, from, until); });
    }
  }

  // The larger ones of the slices from `begin` to `end`: a minute that lies in two slices counts in
  // each for itself.
  Surge most(std::size_t begin, std::size_t end) const {
    Surge found;
    for (std::size_t slice = begin; slice < end; ++slice) found.raise(of_slices_[slice]);
    return found;
  }

  const Surge& all() const { return all_; }

 private:
  static constexpr Time kSecond = 1'000'000'000, kMinute = 60;
  static constexpr Time kSparse = 16;  // seconds for each entry

  // What `busiest_of` finds between two seconds, for each slice and for all of the time.
  template <class Busiest>
  void find(const std::vector<Slice>& slices, Busiest busiest_of) {
    Time from = first_;
    for (std::size_t slice = 0; slice < slices.size(); ++slice) {
      const bool is_last = slice + 1 == slices.size();
      const Time until = is_last ? end_ : std::clamp(slices[slice].ends / kSecond, from, end_);
      of_slices_[slice] = busiest_of(from, until);
      all_.raise(of_slices_[slice]);
      const Time minute_ends = end_of_minute(until);  // a minute may lie in several slices
      all_.raise(busiest_of(std::max(minute_ends - kMinute, first_), std::min(minute_ends, end_)));
      from = until;
    }
  }

  static Time end_of_minute(Time second) {
    return second - (second % kMinute + kMinute) % kMinute + kMinute;
  }

  // How many calls there are in each second from the first to the last.
  std::vector<std::uint32_t> by_second(const std::vector<const Course*>& courses) const {
    std::vector<std::uint32_t> found(static_cast<std::size_t>(end_ - first_));
    for (const Course* const course : courses) {
      for (const Calls& one : course->calls)
        found[static_cast<std::size_t>(one.second - first_)] += one.count;
    }
    return found;
  }

  Surge busiest_of(const std::vector<std::uint32_t>& in_second, Time from, Time until) const {
    Surge most;
    while (from < until) {
      const Time minute_ends = std::min(end_of_minute(from), until);
      std::uint32_t second = 0;
      std::int64_t minute = 0;
      for (; from < minute_ends; ++from) {
        const std::uint32_t calls = in_second[static_cast<std::size_t>(from - first_)];
        second = std::max(second, calls);
        minute += calls;
      }
      most.raise({second, minute});
    }
    return most;
  }

  // All calls in the order of seconds.
  static std::vector<Calls> in_order(const std::vector<const Course*>& courses, std::size_t count) {
    std::vector<Calls> found;
    found.reserve(count);
    for (const Course* const course : courses)
      found.insert(found.end(), course->calls.begin(), course->calls.end());
    std::sort(found.begin(), found.end(), is_earlier);
    return found;
  }

  static bool is_earlier(const Calls& one, const Calls& other) { return one.second < other.second; }

  static Surge busiest_of(const std::vector<Calls>& calls, Time from, Time until) {
    Surge most;
    Time second = kGone, minute_ends = kGone;
    std::int64_t in_second = 0, in_minute = 0;
    auto next = std::lower_bound(calls.begin(), calls.end(), Calls{.second = from}, is_earlier);
    for (; next != calls.end() && next->second < until; ++next) {
      if (next->second != second) in_second = 0;
      if (next->second >= minute_ends) {
        in_minute = 0;
        minute_ends = end_of_minute(next->second);
      }
      second = next->second;
      in_second += next->count;
      in_minute += next->count;
      most.raise({in_second, in_minute});
    }
    return most;
  }

  std::vector<Surge> of_slices_;
  Surge all_;
  Time first_ = kNever, end_ = kGone;  // the seconds with a call lie between
};

// The spans of one kind that occurred in the slices of all parts. As in a Histogram, they are exact
// up to the slice in which more than a few distinct ones have occurred. After that they are bins.
class SpansOfParts {
 public:
  SpansOfParts(Parts parts, SpansOf of) : parts_(parts), of_(of), exact_(count_exact()) {}

  // The spans of the slices from `begin` to `end` together.
  Occurred between(std::size_t begin, std::size_t end) {
    if (parts_.size() == 1 && end == begin + 1) return parts_[0].slices()[begin].spans[of_];
    Occurred found;
    found.reserve(std::min(count(begin, end), Histogram::kAllBins));
    each(begin, std::min(end, exact_),
         [&](Time span, std::uint32_t times) { found.emplace_back(span, times); });
    each(std::max(begin, exact_), end,
         [&](Time span, std::uint32_t times) { bins_.add(Histogram::bin(span), times); });
    bins_.take([&](std::size_t bin, std::uint32_t times) {
      found.emplace_back(Histogram::value(bin), times);
    });
    return begin < exact_ ? joined(std::move(found)) : found;
  }

 private:
  // How many slices are exact.
  std::size_t count_exact() const {
    std::vector<Time> seen;
    const std::size_t slices = parts_.empty() ? 0 : parts_[0].slices().size();
    for (std::size_t slice = 0; slice < slices; ++slice) {
      for (const Part& part : parts_) {
        const Slice& own = part.slices()[slice];
        if (own.in_bins[of_]) return slice;
        for (const auto& [span, times] : own.spans[of_]) {
          const auto place = std::lower_bound(seen.begin(), seen.end(), span);
          if (place == seen.end() || *place != span) seen.insert(place, span);
        }
        if (seen.size() > Histogram::kFew) return slice;
      }
    }
    return slices;
  }

  // How many spans the slices have, those of all parts one by one.
  std::size_t count(std::size_t begin, std::size_t end) const {
    std::size_t found = 0;
    for (std::size_t slice = begin; slice < end; ++slice) {
      for (const Part& part : parts_) found += part.slices()[slice].spans[of_].size();
    }
    return found;
  }

  template <class Visit>
  void each(std::size_t begin, std::size_t end, Visit visit) const {
    for (std::size_t slice = begin; slice < end; ++slice) {
      for (const Part& part : parts_) {
        for (const auto& [span, times] : part.slices()[slice].spans[of_]) visit(span, times);
      }
    }
  }

  // In the order of spans, each once.
  static Occurred joined(Occurred found) {
    std::sort(found.begin(), found.end());
    std::size_t last = 0;
    for (std::size_t i = 1; i < found.size(); ++i) {
      if (found[i].first == found[last].first) {
        found[last].second += found[i].second;
      } else {
        found[++last] = found[i];
      }
    }
    found.resize(found.empty() ? 0 : last + 1);
    return found;
  }

  Parts parts_;
  SpansOf of_;
  std::size_t exact_;
  Bins bins_;
};

// The whole of some parts, which cover the same time in the same slices. Where there are several,
// each has kept its course.
class Whole {
 public:
  Whole(Parts parts, std::size_t lookups)
      : parts_(parts),
        tallies_(lookups),
        over_time_(parts[0].slices().size()),
        spans_{
#define VESTIGO_SPANS(place, name) SpansOfParts(parts, place),
#include "tally.def"
        } {
    std::vector<std::size_t> shares(lookups);
    for (const Part& part : parts) {
      for (std::size_t i = 0; i < part.lookups.size(); ++i) {
        const std::size_t lookup = index(part.lookups[i]);
        const Tally& own = part.ledger->tallies()[i];
        tallies_[lookup].add(own);
        raise(tallies_[lookup], own);
        ++shares[lookup];
      }
    }
    for (std::size_t lookup = 0; lookup < lookups; ++lookup) {
      if (shares[lookup] > 1) follow(tallies_[lookup], courses_of(static_cast<Id>(lookup)));
    }
    for (std::size_t slice = 0; slice < over_time_.size(); ++slice) {
      for (const Part& part : parts) {
        over_time_[slice].add(part.slices()[slice].counted);
        raise(over_time_[slice], part.slices()[slice].counted);
      }
    }
    add_up();
  }

  const std::vector<Tally>& tallies() const { return tallies_; }
  const Tally& total() const { return total_; }
  std::size_t slices() const { return over_time_.size(); }
  const Counted& counted(std::size_t slice) const { return over_time_[slice]; }

  // The slices from `begin` to `end` as one.
  Slice joined(std::size_t begin, std::size_t end) {
    Slice whole{.begins = parts_[0].slices()[begin].begins,
                .ends = parts_[0].slices()[end - 1].ends,
                .counted = {},
                .spans = {},
                .in_bins = {}};
    for (std::size_t of = 0; of < kSpans; ++of) whole.spans[of] = spans_[of].between(begin, end);
    for (std::size_t slice = begin; slice < end; ++slice) {
      whole.counted.add(over_time_[slice]);
      raise(whole.counted, over_time_[slice]);
    }
    if (held_) {
      set_peaks(whole.counted, held_->most(begin, end));
      whole.counted.surge = called_->most(begin, end);
    }
    return whole;
  }

 private:
  // The larger of all maxima.
  static void raise(Counted& counted, const Counted& other) {
    counted.longest.raise(other.longest);
    counted.held.raise_peaks(other.held);
    counted.surge.raise(other.surge);
  }
  static void set_peaks(Counted& counted, const Amount& most) {
    counted.held.entries_peak = most.entries;
    counted.held.bytes_peak = most.bytes;
  }

  void add_up() {
    for (const Tally& tally : tallies_) {
      total_.add(tally);
      raise(total_, tally);
    }
    if (parts_.size() == 1) {
      total_.held = parts_[0].ledger->total().held;
      total_.surge = parts_[0].ledger->total().surge;
      return;
    }
    held_.emplace(courses_of(kNone));
    set_peaks(total_, held_->most(0, over_time_.size()));
    called_.emplace(courses_of(kNone), parts_[0].slices());
    total_.surge = called_->all();
  }

  // The peaks and surges of a look-up that lies in several parts.
  void follow(Counted& counted, const std::vector<const Course*>& courses) const {
    set_peaks(counted, HeldTogether(courses).most(0, over_time_.size()));
    counted.surge = CalledTogether(courses, parts_[0].slices()).all();
  }

  // The courses of a look-up, or of all.
  std::vector<const Course*> courses_of(Id lookup) {
    std::vector<const Course*> courses;
    for (const Part& part : parts_) {
      const Course* const whole = part.ledger->course();
      if (lookup == kNone || (part.lookups.size() == 1 && part.lookups[0] == lookup)) {
        courses.push_back(whole);
        continue;
      }
      for (std::size_t own = 0; own < part.lookups.size(); ++own) {
        if (part.lookups[own] != lookup) continue;
        chosen_.push_back(std::make_unique<Course>(whole->of(own)));
        chosen_.back()->divide(part.slices());
        courses.push_back(chosen_.back().get());
      }
    }
    return courses;
  }

  Parts parts_;
  std::vector<Tally> tallies_;
  Tally total_;
  std::vector<Counted> over_time_;  // by slice
  std::array<SpansOfParts, kSpans> spans_;
  std::vector<std::unique_ptr<Course>> chosen_;  // courses of single look-ups
  std::optional<HeldTogether> held_;             // if there are several parts, like the next
  std::optional<CalledTogether> called_;
};

}  // namespace vestigo
