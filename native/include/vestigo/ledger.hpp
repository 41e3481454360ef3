// vestigo/ledger.hpp: the books of a replay: a tally a look-up, what is no sum of them, and the slices.
//
// What happens at every read is counted by the replay itself, straight into a tally; what is rarer
// comes through here.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

#include "rules.hpp"
#include "slices.hpp"

namespace vestigo {

class Ledger {
 public:
  Ledger(std::span<const Rules> rules, Slices slices) : tallies_(rules.size()), slices_(std::move(slices)) {
    for (const Rules& one : rules) {
      hit_costs_.push_back(one.hit_cost);
      overheads_.push_back(one.entry_overhead);
    }
  }

  Tally& tally(std::size_t room) { return tallies_[room]; }
  const std::vector<Tally>& tallies() const { return tallies_; }
  const Level& held() const { return slice_.held; }
  const Slices& slices() const { return slices_; }
  const Tally& total() const { return total_; }

  // The first moment that belongs to a later slice.
  Time slice_end() const { return counting_ && !slices_.last() ? slices_.end() : kNever; }

  // A reader misses and loads.
  [[gnu::always_inline]] void load(Tally& tally, Time cost, Bytes size, Time now) {
    if (now >= tally.surge_count.second_ends) [[unlikely]] turn_second(tally, now);
    ++tally.counts[kLoads];
    ++loads_;
    tally.sums[kOriginTime] += static_cast<std::uint64_t>(cost);
    wait(tally, cost, size);
  }

  // A reader joins a load and waits for the rest of it.
  void join(Tally& tally, Time rest, Bytes size) {
    tally.sums[kReadTime] += rest;
    wait(tally, rest, size);
  }

  void stale_hit(Tally& tally, Time age) {
    ++tally.counts[kStaleHits];
    tally.sums[kStaleAge] += age;
    tally.stale_ages.add(age);
    tally.oldest_stale = std::max(tally.oldest_stale, age);
    slice_.oldest_stale = std::max(slice_.oldest_stale, age);
  }

  // The look-up now holds so much.
  [[gnu::always_inline]] void hold(Tally& tally, std::int64_t entries, Bytes bytes, Time now) {
    const std::int64_t more_entries = entries - tally.held.entries;
    const Bytes more_bytes = bytes - tally.held.bytes;
    tally.settle(now);
    tally.held.change(more_entries, more_bytes);
    slice_.held.change(more_entries, more_bytes);
  }

  // An entry's last stretch without a hit is over: it leaves, or the trace ends.
  [[gnu::always_inline]] void idle(Tally& tally, const Entry& entry, Time now) {
    const Time from = std::max(std::max(entry.used_at, entry.stored_at), counted_from_);
    if (from >= now) return;
    tally.sums[kIdleHeld] += byte_time(entry.bytes, now - from);
    slices_.idle(entry.bytes, from, now);
  }

  // The warm-up is over: what was counted so far is forgotten, what is held stays.
  void count_from(Time now) {
    counting_ = true;
    counted_from_ = now;
    loads_ = 0;
    surge_ = SurgeCount{};
    for (Tally& tally : tallies_) {
      Tally fresh;
      fresh.held = tally.held;
      fresh.held.peaks_from_now();
      fresh.held_since = now;
      tally = std::move(fresh);
    }
    hits_before_.assign(tallies_.size(), 0);
    slices_.count_from(now);
    open_slice();
  }

  void next_slice() {
    close_slice(slices_.end());
    open_slice();
  }

  // The last event is done, at `now`, and every entry's idle time told.
  void close(Time now) {
    if (!counting_) return;
    close_slice(now);
    slices_.settle_idle();
    for (std::size_t room = 0; room < tallies_.size(); ++room) {
      Tally& tally = tallies_[room];
      tally.surge = tally.surge_count.close(tally.counts[kLoads]);
      tally.add_hit_times(tally.counts[kHits], hit_costs_[room]);
      tally.sums[kReadTime] += tally.sums[kOriginTime];
      if (tally.counts[kHits] > 0) tally.longest_read = std::max(tally.longest_read, hit_costs_[room]);
      tally.counts[kBytesHit] -= tally.counts[kHits] * overheads_[room];
      total_.longest_read = std::max(total_.longest_read, tally.longest_read);
      total_.oldest_stale = std::max(total_.oldest_stale, tally.oldest_stale);
      total_.add(tally);
    }
    total_.surge = surge_.close(loads_);
  }

 private:
  [[gnu::always_inline]] void wait(Tally& tally, Time span, Bytes size) {
    tally.counts[kBytesMissed] += size;
    tally.read_times.add(span);
    tally.longest_read = std::max(tally.longest_read, span);
    slice_.longest_read = std::max(slice_.longest_read, span);
  }

  // A second begins in which the look-up loads.
  [[gnu::noinline]] void turn_second(Tally& tally, Time now) {
    tally.surge_count.turn(now, tally.counts[kLoads]);
    if (now >= surge_.second_ends) surge_.turn(now, loads_);
    if (now >= slice_.surge.second_ends) slice_.surge.turn(now, loads_);
  }

  void open_slice() {
    const Level held = slice_.held;
    slice_ = {.held = held, .surge = SurgeCount{loads_}};
    for (Tally& tally : tallies_) tally.surge_count.second_ends = kGone;  // so that the slice hears of the next load
    slice_.held.peaks_from_now();
  }

  void close_slice(Time ends) {
    total_.held.entries_peak = std::max(total_.held.entries_peak, slice_.held.entries_peak);
    total_.held.bytes_peak = std::max(total_.held.bytes_peak, slice_.held.bytes_peak);
    Tally so_far;
    so_far.surge = slice_.surge.close(loads_);
    so_far.held = slice_.held;
    so_far.longest_read = slice_.longest_read;
    so_far.oldest_stale = slice_.oldest_stale;
    for (std::size_t room = 0; room < tallies_.size(); ++room) {
      Tally& tally = tallies_[room];
      tally.settle(ends);
      so_far.add(tally);
      so_far.add_hit_times(tally.counts[kHits], hit_costs_[room]);
      if (tally.counts[kHits] > hits_before_[room]) so_far.longest_read = std::max(so_far.longest_read, hit_costs_[room]);
      so_far.counts[kBytesHit] -= tally.counts[kHits] * overheads_[room];
      hits_before_[room] = tally.counts[kHits];
    }
    so_far.sums[kReadTime] += so_far.sums[kOriginTime];
    slices_.close(ends, std::move(so_far));
  }

  // What holds for the present slice alone, over all look-ups.
  struct Present {
    Level held;
    SurgeCount surge;
    Time longest_read = 0, oldest_stale = 0;
  };

  std::vector<Tally> tallies_;
  std::vector<Time> hit_costs_;
  std::vector<Bytes> overheads_;
  std::vector<std::int64_t> hits_before_;  // the present slice
  Tally total_;
  Present slice_;
  SurgeCount surge_;  // of all look-ups, over the whole trace
  std::int64_t loads_ = 0;
  Slices slices_;
  Time counted_from_ = kNever;
  bool counting_ = false;
};

}  // namespace vestigo
