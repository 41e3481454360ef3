// A replay that a witness sees: what it tells of reads, keys and happenings adds up to what is
// counted in all.
#pragma once

#include <numeric>
#include <vector>

#include "check.hpp"
#include "vestigo/any_replay.hpp"

namespace vestigo {

// Every read was given an answer, and there are as many of each kind as were counted.
inline void check_answers(const std::vector<std::uint8_t>& answers, const Testimony& told,
                          const Tally& total) {
  std::int64_t hits = 0, joined = 0, misses = 0, failed = 0;
  for (const std::uint8_t answer : answers) {
    const int what = answer & ~Answers::kNullAnswer;
    hits += what == Answers::kHitAnswer;
    joined += what == Answers::kJoinedAnswer;
    misses += what >= Answers::kMissAnswer && what < Answers::kMissAnswer + kCauses;
    failed += what == Answers::kFailedAnswer;
  }
  CHECK(hits == total.counts[kHits] && joined == total.counts[kJoined] &&
        failed == total.counts[kFailed]);
  CHECK(misses ==
        std::accumulate(total.counts.begin(), total.counts.begin() + kCauses, std::int64_t{0}));
  CHECK(static_cast<std::int64_t>(told.stale.size()) ==
        total.counts[kStaleHits] + total.counts[kJoinedStale]);
}

inline void check_keys(KeyRows& keys, const Tally& total) {
  std::int64_t hits = 0, evictions = 0, more_loads = 0, misses = 0, joined = 0, stale = 0;
  Int128 origin_time = 0, held = 0, idle = 0;
  keys.each_rare([&](Id, const RareRow& row) {
    misses += std::accumulate(row.misses.begin(), row.misses.end(), std::int64_t{0});
    more_loads += row.more_loads;
    joined += row.joined;
    stale += row.stale_hits;
    held += row.held;
    idle += row.idle;
  });
  for (const KeyRow& row : keys.take()) {
    hits += row.hits;
    evictions += row.evictions;
    origin_time += row.origin_time;
    misses += std::accumulate(row.misses.begin(), row.misses.end(), std::int64_t{0});
    held += row.held;
    idle += row.idle;
  }
  CHECK(hits == total.counts[kHits] && evictions == total.counts[kEvictions] &&
        misses + more_loads == total.counts[kLoads]);
  CHECK(joined == total.counts[kJoined] && stale == total.counts[kStaleHits]);
  // A key's own time stops at what 64 bits can hold.
  CHECK(origin_time == total.sums[kOriginTime] || total.sums[kOriginTime] > INT64_MAX);
  CHECK(held == total.sums[kHeld] && idle == total.sums[kIdleHeld]);
}

inline void check_happenings(const std::vector<Happening>& happenings, const Tally& total) {
  std::int64_t hits = 0, came = 0, left = 0;
  for (const Happening& one : happenings) {
    hits += one.what == kWasHit || one.what == kWasStaleHit ? one.times : 0;
    came += one.what == kWasKept || one.what == kWasWritten || one.what == kWasCopied;
    left += one.what == kHasLeft;
  }
  CHECK(hits == total.counts[kHits] && came == total.counts[kStored] && left <= came);
}

// `rows`: so many entries, or keys, there are.
template <class Replay>
void check_witness(Replay& seen, const Columns& columns, std::size_t rows, const Tally& total) {
  std::vector<Id> chosen(rows);
  std::iota(chosen.begin(), chosen.end(), 0);
  seen.watch({.reads = true, .keys = true, .chosen = chosen, .rows = rows});
  std::vector<std::uint8_t> answers(columns.events, Answers::kNullAnswer - 1);
  std::vector<Time> took(columns.events), age(columns.events);
  seen.feed(columns, Answers{answers.data(), took.data(), age.data()});
  const Ledger closed = seen.close();
  const Tally& own = closed.total();
  CHECK(own.counts == total.counts && own.sums == total.sums);
  Testimony& told = *seen.testimony();
  check_answers(answers, told, total);
  check_keys(told.keys, total);
  check_happenings(told.log.take(), total);
}

}  // namespace vestigo
