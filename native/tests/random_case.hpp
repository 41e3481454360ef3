// random_case.hpp: random events and rules, and what must be true of every ledger after every
// event.
#pragma once

#include <random>
#include <vector>

#include "check.hpp"
#include "vestigo/columns.hpp"
#include "vestigo/ends.hpp"
#include "vestigo/ledger.hpp"
#include "vestigo/origin.hpp"
#include "vestigo/truth.hpp"

namespace vestigo {

struct Events {
  std::vector<Time> at, cost;
  std::vector<Id> key, value, stretch, node, scope;
  Truth truth{0, true};
  std::vector<std::uint8_t> mark;
  std::vector<Bytes> size;
  std::vector<std::int64_t> next_read;

  Columns columns(std::size_t begin, std::size_t end) const {
    return {.events = end - begin,
            .at = at.data() + begin,
            .key = key.data() + begin,
            .stretch = stretch.data() + begin,
            .value = value.data() + begin,
            .mark = mark.data() + begin,
            .size = size.data() + begin,
            .cost = cost.data() + begin,
            .node = node.data() + begin,
            .scope = scope.data() + begin,
            .next_read = next_read.data() + begin,
            .stretches = truth.stretches(),
            .first_row = static_cast<std::int64_t>(begin)};
  }
};

// Every key on every node: which entry is whose.
struct OnNodes {
  std::vector<Id> keys{}, nodes{}, groups{};
  std::vector<std::uint8_t> is_first{};
};

inline Events random_events(std::mt19937& random, int count, Id keys, Id groups, bool costs,
                            bool preloads = false, Time unit = 1) {
  Events events;
  events.truth = Truth(static_cast<std::size_t>(keys), true);
  Time now = static_cast<Time>(random()) - (Time{1} << 31);
  for (int i = 0; i < count; ++i) {
    now += random() % 3 == 0 ? static_cast<Time>(random() % 9) * unit : 0;
    const unsigned draw = random() % (preloads ? 24 : 21);
    std::uint8_t mark = draw < 14    ? kRead
                        : draw < 18  ? kWrite
                        : draw == 18 ? kClear
                        : draw == 19 ? kRestart
                        : draw == 20 ? kTakenOut
                                     : kPreload;
    const Id key = static_cast<Id>(random() % static_cast<unsigned>(keys));
    Id value = static_cast<Id>(random() % static_cast<unsigned>(groups + 1)) - 1, stretch = 0;
    const bool keyed = mark <= kWrite || mark == kPreload;
    if (keyed) {
      if (mark == kRead && random() % 10 == 0) mark |= kForced;
      const auto seen =
          events.truth.see({.at = now,
                            .mark = mark == kWrite ? kWrite : kRead,
                            .key = key,
                            .version = static_cast<Id>(random() % 4) - 1,
                            .found = static_cast<std::int8_t>(static_cast<int>(random() % 3) - 1)});
      value = seen.value;
      stretch = seen.stretch;
    }
    events.at.push_back(now);
    events.key.push_back(keyed ? key : 0);
    events.node.push_back(static_cast<Id>(random() % 3) - 1);
    events.scope.push_back(static_cast<Id>(random() % 4) - 1);
    events.value.push_back(value);
    events.stretch.push_back(stretch);
    events.mark.push_back(mark);
    events.size.push_back(static_cast<Bytes>(random() % 50));
    events.cost.push_back(costs ? static_cast<Time>(random() % 12) * unit : 0);
  }
  std::vector<std::int64_t> coming(static_cast<std::size_t>(keys), std::int64_t{1} << 62);
  events.next_read.resize(events.at.size());
  for (std::size_t i = events.at.size(); i-- > 0;) {
    std::int64_t& next = coming[static_cast<std::size_t>(events.key[i])];
    events.next_read[i] = next;
    if ((events.mark[i] & kOp) == kRead) next = static_cast<std::int64_t>(i);
  }
  return events;
}

// The same events, of keys on three nodes, the first of which has no name.
inline OnNodes put_on_nodes(Events& events, Id keys, Id lookups) {
  OnNodes entries;
  std::vector<std::uint8_t> is_loaded(static_cast<std::size_t>(keys));
  for (Id node = 0; node < 3; ++node) {
    for (Id key = 0; key < keys; ++key) {
      entries.keys.push_back(key);
      entries.nodes.push_back(node);
      entries.groups.push_back(key % lookups * 3 + node);
      entries.is_first.push_back(0);
    }
  }
  for (std::size_t i = 0; i < events.at.size(); ++i) {
    const Id key = events.key[i];
    events.key[i] = (events.node[i] + 1) * keys + key;
    if ((events.mark[i] & kOp) == kRead &&
        !std::exchange(is_loaded[static_cast<std::size_t>(key)], 1))
      entries.is_first[static_cast<std::size_t>(events.key[i])] = 1;
  }
  return entries;
}

inline Time maybe(std::mt19937& random, Time value) { return random() % 3 == 0 ? kNever : value; }

inline Rules random_rules(std::mt19937& random) {
  Rules rules;
  rules.absolute = maybe(random, 1 + random() % 20);
  rules.sliding = maybe(random, 1 + random() % 20);
  rules.null_lifetime = maybe(random, 1 + random() % 20);
  rules.entry_overhead = static_cast<Bytes>(random() % 3);
  rules.hit_cost = 1;
  rules.nulls = static_cast<Nulls>(random() % 3);
  rules.lifetime_from = static_cast<LifetimeFrom>(random() % 2);
  rules.on_write = static_cast<OnWrite>(random() % 3);
  rules.overlap = static_cast<Overlap>(random() % 2);
  return rules;
}

inline ValueRules random_value_rules(std::mt19937& random) {
  ValueRules rules;
  rules.most_size = maybe(random, random() % 50);
  rules.most_cost = maybe(random, random() % 12);
  rules.hit_cost_per_kib = random() % 2000;
  if (random() % 2) {
    rules.reload_of = 1;
    rules.reload_to = 2;
  }
  rules.serve_stale = random() % 4;
  rules.batch = random() % 6;
  return rules;
}

inline PoolRules random_pool(std::mt19937& random, Eviction eviction) {
  PoolRules rules;
  rules.max_entries = maybe(random, 1 + random() % 5);
  rules.max_bytes = maybe(random, random() % 150);
  rules.eviction = static_cast<std::uint8_t>(eviction);
  for (std::int64_t& number : rules.eviction_numbers) number = 1 + random() % 3;
  rules.frees = random() % 4 == 0;
  if (rules.frees) {
    rules.stay_entries = random() % 4;
    rules.stay_bytes = random() % 80;
  }
  rules.refuses = random() % 8 == 0;
  return rules;
}

// Of each group, ascending.
inline std::vector<std::vector<Time>> random_moments(std::mt19937& random, std::size_t groups,
                                                     const Events& events) {
  std::vector<std::vector<Time>> moments(groups);
  for (std::vector<Time>& some : moments) {
    for (unsigned i = random() % 4; i > 0; --i)
      some.push_back(events.at[random() % events.at.size()] + static_cast<Time>(random() % 3));
    std::sort(some.begin(), some.end());
  }
  return moments;
}

// An origin with few places that is slow, and may be away. Now and then its numbers are as large as
// they may be.
inline Served random_origin(std::mt19937& random, const Events& events, bool may_be_away) {
  const bool is_wild = random() % 8 == 0;
  Served served{.places = random() % 4,
                .down = {},
                .paces = {},
                .fails_after = is_wild ? kLongestSpan : 1 + static_cast<Time>(random() % 4),
                .give_up = maybe(random, 1 + random() % 6),
                .slow = static_cast<Time>(random() % 8)};
  Time at = events.at[0] - 3;
  for (unsigned i = may_be_away ? random() % 4 : 0; i > 0; --i) {
    at += 1 + random() % 20;
    served.down.push_back({at, at + 1 + static_cast<Time>(random() % 20)});
    at = served.down.back().ends;
  }
  at = events.at[0] - 3;
  for (unsigned i = random() % 4; i > 0; --i) {
    at += 1 + random() % 20;
    served.paces.push_back({at, is_wild ? 1'000'000'000 : 1 + static_cast<Time>(random() % 5), 1});
  }
  return served;
}

// Every read is counted once, and every entry that came in has left in one way or is still held.
inline void check_books(const Ledger& ledger, std::int64_t reads) {
  std::int64_t counted = 0;
  for (const Tally& tally : ledger.tallies()) {
    const Counts& c = tally.counts;
    for (std::size_t cause = 0; cause < kCauses; ++cause) counted += c[cause];
    counted += c[kHits] + c[kJoined] + c[kFailed];
    CHECK(c[kFailedLoads] <= tally.loads() && c[kServedOnFailure] <= c[kHits]);
    const std::int64_t left =
        c[kEvictions] + c[kExpirations] + c[kDrops] + c[kClears] + c[kLost] + c[kSuperseded];
    CHECK(c[kStored] - left == tally.held.entries);
    CHECK(c[kStaleHits] <= c[kHits] && c[kFalseNulls] <= c[kStaleHits] && c[kNullsHit] <= c[kHits]);
  }
  CHECK(counted == reads);
}

// The events from `begin` to `end` with their ends.
struct Batch {
  Columns columns;
  EndsInOrder ends;

  Batch(const Events& events, std::size_t begin, std::size_t end, const Batch* before)
      : columns(events.columns(begin, end)),
        ends(columns, before == nullptr ? Ends{} : before->ends.ends(),
             begin == 0 ? kNever : events.at[begin - 1]) {
    columns.ends = ends.ends();
  }
};

}  // namespace vestigo
