// vestigo/ledger.hpp: the books of a replay: a tally for each look-up, what is not a sum of
// tallies, and the slices.
//
// The replay counts what happens at every read directly in a tally. Rarer events come through here.
#pragma once

#include <algorithm>
#include <span>
#include <memory>
#include <utility>
#include <vector>

#include "course.hpp"
#include "rules.hpp"
#include "slices.hpp"

namespace vestigo {

class Ledger {
 public:
  // For the plain replay. With `in_bulk`, a miss takes as long as its load, and all hits of a
  // look-up take the same time. So the times of reads are added in bulk.
  Ledger(std::span<const Rules> rules, bool in_bulk, Slices slices)
      : tallies_(rules.size()),
        several_(rules.size() > 1),
        in_bulk_(in_bulk),
        slices_(std::move(slices)) {
    for (const Rules& one : rules) {
      hit_costs_.push_back(in_bulk ? one.hit_cost : 0);
      overheads_.push_back(one.entry_overhead);
    }
  }

  // For the full replay, which counts the time and the bytes of each read when it occurs.
  Ledger(std::size_t lookups, Slices slices)
      : tallies_(lookups),
        several_(lookups > 1),
        hit_costs_(lookups),
        overheads_(lookups),
        slices_(std::move(slices)) {}

  Tally& tally(std::size_t lookup) { return tallies_[lookup]; }
  const std::vector<Tally>& tallies() const { return tallies_; }
  const Level& held() const { return several_ ? held_ : tallies_[0].held; }
  const Slices& slices() const { return slices_; }
  const Course* course() const { return course_.get(); }
  const Tally& total() const { return total_; }

  // The memory that it takes, but for little.
  std::size_t bytes() const {
    std::size_t bytes = slices_.bytes() + (course_ ? course_->bytes() : 0);
    for (const Tally& tally : tallies_) {
      bytes += sizeof tally;
      for (const Histogram& histogram : tally.spans) bytes += histogram.bytes();
    }
    return bytes;
  }

  // From now on the course is kept. Before anything is replayed.
  void keep_course(std::size_t blocks_in_slice) {
    course_ = std::make_unique<Course>(blocks_in_slice);
  }
  bool keeps_course() const { return course_ != nullptr; }

  // What is held changes in this step until the next one is named.
  void at_step(Step step, std::int64_t order) { step_ = {step, order}; }

  // The first moment that belongs to a later slice.
  Time slice_end() const { return counting_ && !slices_.last() ? slices_.end() : kNever; }

  // A reader misses and loads.
  [[gnu::always_inline]] void miss(Tally& tally, Cause cause, Time cost, Bytes size, Time now) {
    if (now >= tally.surge_count.second_ends) [[unlikely]]
      begin_second(tally, now);
    ++tally.counts[cause];
    tally.origin_time += cost;
    wait(tally, cost, size);
  }

  // An origin call begins, before it is counted.
  void load(Tally& tally, Time cost, Time now) {
    if (now >= tally.surge_count.second_ends) [[unlikely]]
      begin_second(tally, now);
    tally.origin_time += cost;
  }

  // A reader misses and shares the origin call of another load, which takes `more` time for that.
  void share(Tally& tally, Cause cause, Time cost, Time more, Bytes size) {
    ++tally.counts[cause];
    ++tally.counts[kBatched];
    tally.origin_time += more;
    wait(tally, cost, size);
  }

  // Counts how long a read took.
  void took(Tally& tally, Time span) {
    tally.sums[kReadTime] += span;
    tally.spans[kReadTimes].add(span);
    if (span > tally.longest.read) [[unlikely]]
      tally.longest.read = span;
  }

  // A reader joins a load and waits for the rest of it.
  void join(Tally& tally, Time rest, Bytes size) {
    tally.sums[kReadTime] += rest;
    wait(tally, rest, size);
  }

  // Counts a hit, whose value was loaded, or written, that long ago.
  [[gnu::always_inline]] void answer(Tally& tally, Time age) {
    tally.sums[kAnswerAge] += age;
    tally.spans[kAnswerAges].add(age);
    if (age > tally.longest.answer_age) [[unlikely]]
      tally.longest.answer_age = age;
  }

  void stale_hit(Tally& tally, Time age) {
    ++tally.counts[kStaleHits];
    tally.sums[kStaleAge] += age;
    tally.spans[kStaleAges].add(age);
    if (age > tally.longest.stale_age) tally.longest.stale_age = age;
  }

  // An origin call comes that takes so long when it is served, before it is counted. Sums of such
  // times may exceed 64 bits.
  void call(Tally& tally, Time takes, Time now) {
    load(tally, 0, now);
    tally.sums[kOriginTime] += takes;
  }

  // It waits so long for a place, and so many others with it.
  void waited(Tally& tally, Time span, std::int64_t queue) {
    tally.sums[kOriginWait] += span;
    tally.spans[kOriginWaits].add(span);
    tally.longest.origin_wait = std::max(tally.longest.origin_wait, span);
    tally.longest.queue = std::max(tally.longest.queue, queue);
  }

  // The look-up holds more, or less.
  [[gnu::always_inline]] void hold(Tally& tally, std::int64_t more_entries, Bytes more_bytes,
                                   Time now) {
    tally.hold(more_entries, more_bytes, now);
    if (several_) held_.change(more_entries, more_bytes);
    if (course_) [[unlikely]]
      add_change(tally, more_entries, more_bytes, now);
  }

  // The last stretch of an entry without a hit, which began at `from`, is over: it leaves, or the
  // trace ends.
  [[gnu::always_inline]] void idle(Tally& tally, Bytes bytes, Time from, Time now) {
    if (from < slices_.present_from()) [[unlikely]] {
      from = std::max(from, counted_from_);
      if (from < slices_.present_from()) slices_.spread_idle(bytes, from);
    }
    tally.sums[kIdleHeld] += byte_time(bytes, now - from);
  }

  // The warm-up is over. Forgets what was counted, and keeps what is held.
  void count_from(Time now) {
    counting_ = true;
    counted_from_ = now;
    surge_ = SurgeCount{};
    for (Tally& tally : tallies_) {
      Tally fresh;
      fresh.held = tally.held;
      fresh.held.peaks_from_now();
      fresh.sums[kHeld] = -Int128{fresh.held.bytes} * now;
      tally = std::move(fresh);
    }
    if (course_) {
      keep_course(course_->blocks_in_slice);
      for (const Tally& tally : tallies_)
        course_->begins.push_back({tally.held.entries, tally.held.bytes});
    }
    hits_before_.assign(tallies_.size(), 0);
    most_.assign(tallies_.size(), {});
    slices_.count_from(now);
    open_slice();
  }

  void next_slice() {
    close_slice(slices_.end(), false);
    open_slice();
  }

  // Ends the books at `now`, after the last event and the idle time of every entry.
  void close(Time now) {
    if (!counting_) return;
    close_slice(now, true);
    slices_.settle_idle();
    for (std::size_t lookup = 0; lookup < tallies_.size(); ++lookup) {
      Tally& tally = tallies_[lookup];
      settle(tally, tally.spans[kReadTimes], lookup, now);
      add_calls(tally, tally.loads());
      tally.surge = tally.surge_count.close(tally.loads());
      tally.longest = most_[lookup].longest;
      tally.held.raise_peaks(most_[lookup].held);
      total_.longest.raise(tally.longest);
      total_.add(tally);
    }
    total_.surge = surge_.close(loads());
    if (course_) {
      const auto before = [](const Calls& a, const Calls& b) { return a.second < b.second; };
      if (several_) std::stable_sort(course_->calls.begin(), course_->calls.end(), before);
      course_->divide(slices_.done());
    }
  }

 private:
  [[gnu::always_inline]] void wait(Tally& tally, Time span, Bytes size) {
    tally.counts[kBytesMissed] += size;
    tally.spans[kReadTimes].add(span);
    if (span > tally.longest.read) [[unlikely]]
      tally.longest.read = span;
  }

  std::int64_t loads() const {
    std::int64_t loads = 0;
    for (const Tally& tally : tallies_) loads += tally.loads();
    return loads;
  }

  // A second with a load of the look-up begins.
  [[gnu::noinline]] void begin_second(Tally& tally, Time now) {
    const std::int64_t own = tally.loads();
    add_calls(tally, own);
    tally.surge_count.begin_second(now, own);
    if (now < surge_.second_ends && now < slice_surge_.second_ends) return;
    const std::int64_t so_far = several_ ? loads() : own;
    if (now >= surge_.second_ends) surge_.begin_second(now, so_far);
    if (now >= slice_surge_.second_ends) slice_surge_.begin_second(now, so_far);
  }

  void open_slice() {
    slice_surge_ = SurgeCount{loads()};
    for (Tally& tally : tallies_) {
      add_calls(tally, tally.loads());
      tally.surge_count.second_ends = kGone;  // makes the slice hear of the next load
    }
    held_.peaks_from_now();
    for (Tally& tally : tallies_) tally.held.peaks_from_now();
  }

  void close_slice(Time ends, bool is_end) {
    total_.held.raise_peaks(held());
    Counted so_far;
    so_far.surge = slice_surge_.close(loads());
    so_far.held = held();
    Histogram hit_times;
    Slices::Histograms histograms;
    histograms[kReadTimes].push_back(&hit_times);
    for (std::size_t lookup = 0; lookup < tallies_.size(); ++lookup) {
      Tally& tally = tallies_[lookup];
      if (tally.counts[kHits] > std::exchange(hits_before_[lookup], tally.counts[kHits])) {
        tally.longest.read = std::max(tally.longest.read, hit_costs_[lookup]);
      }
      so_far.longest.raise(tally.longest);
      most_[lookup].longest.raise(std::exchange(tally.longest, {}));
      most_[lookup].held.raise_peaks(tally.held);
      so_far.add(tally);
      settle(so_far, hit_times, lookup, ends);
      for (std::size_t of = 0; of < kSpans; ++of) histograms[of].push_back(&tally.spans[of]);
    }
    slices_.close(ends, so_far, histograms, is_end);
  }

  // Adds what a look-up counts in bulk: times and sizes of hits, loads, and what is held up to
  // `now`. All hits of a look-up take the same time.
  void settle(Counted& counted, Histogram& read_times, std::size_t lookup, Time now) const {
    const Tally& own = tallies_[lookup];
    const std::int64_t hits = own.counts[kHits];
    if (in_bulk_ && hits > 0) {
      counted.sums[kReadTime] += Int128{hits} * hit_costs_[lookup];
      read_times.add(hit_costs_[lookup], static_cast<std::uint32_t>(hits));
    }
    counted.counts[kBytesHit] -= hits * overheads_[lookup];
    counted.counts[kLoads] += own.loads();
    counted.sums[kOriginTime] += own.origin_time;
    if (in_bulk_) counted.sums[kReadTime] += own.origin_time;
    counted.sums[kHeld] += Int128{own.held.bytes} * now;
  }

  std::uint16_t number(const Tally& tally) const {
    return static_cast<std::uint16_t>(&tally - tallies_.data());
  }

  [[gnu::noinline]] void add_change(const Tally& tally, std::int64_t more_entries, Bytes more_bytes,
                                    Time now) {
    course_->add(now, step_, number(tally), more_entries, more_bytes);
  }

  // The calls of the second that is over, if there were so many up to its end.
  void add_calls(const Tally& tally, std::int64_t loads) {
    if (!course_ || tally.surge_count.second_ends == kGone) return;
    const std::int64_t count = tally.surge_count.in_second(loads);
    if (count > 0)
      course_->calls.push_back(
          {tally.surge_count.second(), static_cast<std::uint32_t>(count), number(tally)});
  }

  // The maxima of a look-up over the slices that are over. Its tally has those of the current
  // slice.
  struct Most {
    Longest longest;
    Level held;
  };

  std::vector<Tally> tallies_;
  bool several_;
  bool in_bulk_ = false;
  std::vector<Time> hit_costs_;
  std::vector<Bytes> overheads_;
  std::vector<std::int64_t> hits_before_;  // the present slice
  std::vector<Most> most_;
  Tally total_;
  Level held_;  // what all look-ups hold, if there are several; its peaks are those of the current
                // slice
  SurgeCount surge_,
      slice_surge_;  // for all look-ups: over the whole trace, and in the current slice
  Slices slices_;
  Time counted_from_ = kNever;
  bool counting_ = false;
  std::unique_ptr<Course> course_;  // if it is wanted
  StepAt step_;
};

}  // namespace vestigo
