// Random events under random rules, in random batches: entries, orders, sizes and loads agree after every one of
// them, every read is counted once, every entry that came in has left in one way or is still held, and all is counted
// as in one batch.
#include <memory>
#include <random>

#include "check.hpp"
#include "vestigo/any_replay.hpp"
#include "vestigo/ends.hpp"
#include "vestigo/truth.hpp"

using namespace vestigo;

namespace {

struct Events {
  std::vector<Time> at, cost;
  std::vector<Id> key, value;
  std::vector<std::uint8_t> mark;
  std::vector<Bytes> size;
  std::vector<std::int64_t> next_read;

  Columns columns(std::size_t begin, std::size_t end) const {
    return {end - begin,         at.data() + begin,   key.data() + begin, value.data() + begin,
            mark.data() + begin, size.data() + begin, cost.data() + begin, next_read.data() + begin};
  }
};

// The events from `begin` to `end` with their ends.
struct Batch {
  Columns columns;
  EndsInOrder ends;

  Batch(const Events& events, std::size_t begin, std::size_t end, const Batch* before)
      : columns(events.columns(begin, end)),
        ends(columns, before == nullptr ? Ends{} : before->ends.ends(), begin == 0 ? kNever : events.at[begin - 1]) {
    columns.ends = ends.ends();
  }
};

Events random_events(std::mt19937& random, int count, Id keys, Id rooms, bool costs) {
  Events events;
  Truth truth(static_cast<std::size_t>(keys), true);
  Time now = static_cast<Time>(random()) - (Time{1} << 31);
  for (int i = 0; i < count; ++i) {
    now += random() % 3 == 0 ? static_cast<Time>(random() % 9) : 0;
    const unsigned draw = random() % 20;
    std::uint8_t mark = draw < 14 ? kRead : draw < 18 ? kWrite : draw == 18 ? kClear : kRestart;
    const Id key = static_cast<Id>(random() % static_cast<unsigned>(keys));
    Id value = static_cast<Id>(random() % static_cast<unsigned>(rooms + 1)) - 1;
    if (mark <= kWrite) {
      if (mark == kRead && random() % 10 == 0) mark |= kForced;
      const Row row{static_cast<std::uint8_t>(mark & kOp), key, static_cast<Id>(random() % 4) - 1,
                    static_cast<std::int8_t>(static_cast<int>(random() % 3) - 1)};
      value = truth.see(row, mark);
    }
    events.at.push_back(now);
    events.key.push_back(mark <= kWrite || (mark & kOp) <= kWrite ? key : 0);
    events.value.push_back(value);
    events.mark.push_back(mark);
    events.size.push_back(static_cast<Bytes>(random() % 50));
    events.cost.push_back(costs ? static_cast<Time>(random() % 12) : 0);
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

Time maybe(std::mt19937& random, Time value) { return random() % 3 == 0 ? kNever : value; }

Rules random_rules(std::mt19937& random) {
  Rules rules;
  rules.absolute = maybe(random, 1 + random() % 20);
  rules.sliding = maybe(random, 1 + random() % 20);
  rules.null_lifetime = maybe(random, 1 + random() % 20);
  rules.entry_overhead = static_cast<Bytes>(random() % 3);
  rules.hit_cost = 1;
  rules.nulls = static_cast<Nulls>(random() % 3);
  rules.on_write = static_cast<OnWrite>(random() % 3);
  rules.overlap = static_cast<Overlap>(random() % 2);
  return rules;
}

PoolRules random_pool(std::mt19937& random, Eviction eviction) {
  PoolRules rules;
  rules.max_entries = maybe(random, 1 + random() % 5);
  rules.max_bytes = maybe(random, random() % 150);
  rules.eviction = eviction;
  for (std::int64_t& number : rules.eviction_numbers) number = 1 + random() % 3;
  rules.trims = random() % 4 == 0;
  if (rules.trims) {
    rules.trim_entries = random() % 4;
    rules.trim_bytes = random() % 80;
  }
  rules.refuses = random() % 8 == 0;
  return rules;
}

template <class Policy, bool timed>
void check_books(const Replay<Policy, timed>& replay, std::int64_t reads) {
  CHECK(replay.check());
  std::int64_t counted = 0;
  for (const Tally& tally : replay.ledger().tallies()) {
    const Counts& c = tally.counts;
    for (std::size_t cause = 0; cause < kCauses; ++cause) counted += c[cause];
    counted += c[kHits] + c[kJoined];
    const std::int64_t left = c[kEvictions] + c[kExpirations] + c[kDrops] + c[kClears] + c[kLost] + c[kSuperseded];
    CHECK(c[kStored] - left == tally.held.entries);
    CHECK(c[kStaleHits] <= c[kHits] && c[kGhosts] <= c[kStaleHits] && c[kNullsHit] <= c[kHits]);
  }
  CHECK(counted == reads);
}

template <class Policy, bool timed>
void one_case(std::mt19937& random, Eviction eviction) {
  const Id keys = 6, rooms = 2;
  std::vector<Rules> rules;
  std::vector<Id> room_pools;
  std::vector<PoolRules> pools;
  const bool shared = random() % 3 == 0;
  for (Id room = 0; room < rooms; ++room) {
    rules.push_back(random_rules(random));
    room_pools.push_back(shared ? 0 : room);
    if (room == 0 || !shared) pools.push_back(random_pool(random, eviction));
  }
  std::vector<Id> key_rooms;
  for (Id key = 0; key < keys; ++key) key_rooms.push_back(key % rooms);
  const Events events = random_events(random, 200, keys, rooms, timed);
  const Slices slices(events.at[0] - 3, 7, 100);
  const Setting setting{key_rooms, rules, room_pools, pools};
  Replay<Policy, timed> replay(setting, slices);
  replay.count_from(events.at[0]);
  std::int64_t reads = 0;
  std::unique_ptr<Batch> batch;
  for (std::size_t begin = 0, end = 0; begin < events.at.size(); begin = end) {
    end = std::min(begin + 1 + random() % (random() % 2 ? 10 : 100), events.at.size());
    batch = std::make_unique<Batch>(events, begin, end, batch.get());
    replay.open(batch->columns);
    for (std::size_t i = 0; i < batch->columns.events; ++i) {
      replay.feed(batch->columns, i, i + 1);
      reads += (batch->columns.mark[i] & kOp) == kRead;
      check_books(replay, reads);
    }
  }
  replay.close(events.at.back());
  const Tally& total = replay.ledger().total();
  Tally sliced;
  for (const Slice& slice : replay.ledger().slices().done()) sliced.add(slice.tally);
  CHECK(sliced.counts == total.counts && sliced.sums == total.sums);

  const auto whole = begin_replay_of<Policy>(setting, {0, timed}, slices);
  whole->feed(Batch(events, 0, events.at.size(), nullptr).columns);
  const Tally& other = whole->close().total();
  CHECK(other.counts == total.counts && other.sums == total.sums);
}

}  // namespace

int main() {
  std::mt19937 random(7);
  for (int i = 0; i < 300; ++i) {
    one_case<policy::Lru, false>(random, Eviction::lru);
    one_case<policy::Lru, true>(random, Eviction::lru);
  }
  for (std::size_t eviction = 0; eviction < kPolicies; ++eviction) {
    for (int i = 0; i < 50; ++i) one_case<policy::Any, false>(random, static_cast<Eviction>(eviction));
    for (int i = 0; i < 50; ++i) one_case<policy::Any, true>(random, static_cast<Eviction>(eviction));
  }
  std::puts("replay: passed");
}
