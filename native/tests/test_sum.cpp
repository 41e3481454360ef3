// The sum of the parts of random replays is the whole, to the last count: a part for each look-up,
// and for each look-up on each node. What is told of two groups of slices is what these slices
// tell. The busiest second and minute are counted by hand, where calls are many and where they are
// few.
#include <map>

#include "check.hpp"
#include "random_case.hpp"
#include "vestigo/any_replay.hpp"
#include "vestigo/ends.hpp"
#include "vestigo/sum.hpp"

using namespace vestigo;

namespace {

constexpr Id kLookups = 2, kPlaces = 3;
constexpr Time kUnit = 300'000'000;  // slices are of whole seconds

struct Case {
  Events events;
  OnNodes entries;
  std::vector<Rules> rules;
  std::vector<Id> lookups, nodes, pools_of_places;
  std::vector<std::uint8_t> is_of_node;
  std::vector<PoolRules> pools;
  std::vector<std::vector<Time>> clears;
  Run how;

  Case(std::mt19937& random, bool is_long)
      : events(random_events(random, is_long ? 600 : 300, 8, kLookups, true, false, kUnit)) {
    if (is_long) {  // no two spans are alike, so that there are soon too many to be exact
      for (std::size_t i = 0; i < events.at.size(); ++i) events.at[i] += static_cast<Time>(i * i);
    }
    entries = put_on_nodes(events, 8, kLookups);
    for (Id lookup = 0; lookup < kLookups; ++lookup) {
      rules.push_back(is_long ? Rules{} : random_rules(random));
      Rules& own = rules.back();
      for (Time* const span : {&own.absolute, &own.sliding, &own.null_lifetime}) {
        if (*span != kNever) *span *= kUnit;
      }
      if (own.on_write == OnWrite::replace)
        own.on_write = OnWrite::drop;  // makes it known elsewhere
      const PoolRules pool = is_long ? PoolRules{} : random_pool(random, Eviction::Lru);
      for (Id node = 0; node < kPlaces; ++node) {
        lookups.push_back(lookup);
        nodes.push_back(node - 1);
        pools_of_places.push_back(static_cast<Id>(pools.size()));
        pools.push_back(pool);
        is_of_node.push_back(1);
      }
    }
    clears = random_moments(random, rules.size(), events);
    how.first_counted = static_cast<std::int64_t>(random() % 40);
    how.counts_from = events.at[static_cast<std::size_t>(how.first_counted)];
  }

  // Whether a row belongs to a look-up (or any), and to a place (or any).
  bool is_own(std::size_t i, Id lookup, Id place) const {
    const std::uint8_t op = events.mark[i] & kOp;
    const Id group = entries.groups[index(events.key[i])];
    if (op == kClear || op == kRestart) {
      const Id cleared = op == kClear ? events.value[i] : kNone;
      return (lookup == kNone || cleared == kNone || cleared == lookup) &&
             (place == kNone || events.node[i] == kNone || events.node[i] + 1 == place);
    }
    return (lookup == kNone || group / kPlaces == lookup) &&
           (place == kNone || group % kPlaces == place);
  }

  // The replay of the rows of a part. The others are moments at which nothing happens.
  Ledger replayed(bool keeps_course, Id lookup, Id place, std::size_t most = 100,
                  std::size_t split = 0) const {
    Columns columns = events.columns(0, events.at.size());
    std::vector<std::uint8_t> marks = events.mark;
    for (std::size_t i = 0; i < marks.size(); ++i) {
      if (!is_own(i, lookup, place)) marks[i] = kNothing;
    }
    columns.mark = marks.data();
    const EndsInOrder ends(columns);
    columns.ends = ends.ends();
    const PlainSetting setting{.entry_groups = entries.groups,
                               .entry_keys = entries.keys,
                               .entry_is_first = entries.is_first,
                               .keys = 8,
                               .lookups = rules,
                               .group_lookups = lookups,
                               .group_nodes = nodes,
                               .group_is_of_node = is_of_node,
                               .group_pools = pools_of_places,
                               .pools = pools,
                               .clears = clears};
    Run run = how;
    run.blocks_in_slice = keeps_course ? 3 : 0;
    ReplayBy<PlainReplay<policy::Lru, Loading::timed>> replay(
        setting, run, Slices(events.at[0] / kWidth * kWidth - kWidth, kWidth, most, split));
    replay.feed(columns, {});
    return replay.close();
  }

  static constexpr Time kWidth = 1'000'000'000;
};

void check_same(const Counted& sum, const Counted& whole) {
  CHECK(sum.counts == whole.counts && sum.sums == whole.sums);
  CHECK(sum.held.entries_peak == whole.held.entries_peak);
  CHECK(sum.held.bytes_peak == whole.held.bytes_peak);
  CHECK(sum.longest.read == whole.longest.read &&
        sum.longest.answer_age == whole.longest.answer_age);
  CHECK(sum.surge.second == whole.surge.second && sum.surge.minute == whole.surge.minute);
}

void check_sum(const std::vector<Ledger>& ledgers, const Ledger& whole) {
  const std::vector<Id> every{0, 1};
  std::vector<Part> parts;
  for (const Ledger& ledger : ledgers) parts.push_back({&ledger, every});
  Whole sum(parts, kLookups);
  check_same(sum.total(), whole.total());
  CHECK(sum.total().spans[kReadTimes].occurred() == whole.total().spans[kReadTimes].occurred());
  for (std::size_t lookup = 0; lookup < kLookups; ++lookup)
    check_same(sum.tallies()[lookup], whole.tallies()[lookup]);
  const std::vector<Slice>& slices = whole.slices().done();
  CHECK(sum.slices() == slices.size());
  for (std::size_t slice = 0; slice < slices.size(); ++slice) {
    const Slice joined = sum.joined(slice, slice + 1);
    check_same(joined.counted, slices[slice].counted);
    CHECK(joined.spans == slices[slice].spans);
  }
}

// What two groups of slices tell, if each group is told together, and if each slice is.
void check_split(const Case& one) {
  const std::vector<Id> every{0, 1};
  const Ledger by_slice = one.replayed(true, kNone, kNone, 1000);
  const std::size_t slices = by_slice.slices().done().size();
  for (const std::size_t split : {std::size_t{1}, slices / 2, slices - 1}) {
    const Ledger by_group = one.replayed(true, kNone, kNone, slices, split);
    const std::vector<Part> told{{&by_group, every}}, should_be{{&by_slice, every}};
    Whole groups(told, kLookups), whole(should_be, kLookups);
    for (const auto& [begin, end] : {std::pair(std::size_t{0}, split), std::pair(split, slices)}) {
      check_same(groups.joined(begin, end).counted, whole.joined(begin, end).counted);
      CHECK(groups.joined(begin, end).spans == whole.joined(begin, end).spans);
    }
  }
}

Surge most_of(const std::map<Time, std::int64_t>& by_second, Time from, Time until) {
  Surge most;
  std::map<Time, std::int64_t> by_minute;
  for (const auto& [second, calls] : by_second) {
    if (second < from || second >= until) continue;
    std::int64_t& minute = by_minute[(second + 6'000'000) / 60];  // none is before the year 1969
    minute += calls;
    most.raise({calls, minute});
  }
  return most;
}

void check_calls(std::mt19937& random, Time seconds) {
  constexpr Time kSecond = 1'000'000'000;
  const Time begins = static_cast<Time>(random() % 200) - 100;
  std::vector<Course> courses(3, Course(1));
  std::map<Time, std::int64_t> by_second;
  for (Course& course : courses) {
    for (Time second = begins; second < begins + seconds;
         second += 1 + static_cast<Time>(random()) % (seconds / 10)) {
      course.calls.push_back(
          {.second = second, .count = 1 + static_cast<std::uint32_t>(random() % 9)});
      by_second[second] += course.calls.back().count;
    }
  }
  std::vector<Slice> slices(1 + random() % 40);
  const Time width = 1 + static_cast<Time>(random() % 90),
             before = begins - static_cast<Time>(random() % 90);
  for (std::size_t slice = 0; slice < slices.size(); ++slice) {
    slices[slice].begins = (before + static_cast<Time>(slice) * width) * kSecond;
    slices[slice].ends = slices[slice].begins + width * kSecond;
  }
  const CalledTogether called({&courses[0], &courses[1], &courses[2]}, slices);
  const auto check = [&](const Surge& found, Time from, Time until) {
    const Surge most = most_of(by_second, from, until);
    CHECK(found.second == most.second && found.minute == most.minute);
  };
  check(called.all(), begins, begins + seconds);
  for (std::size_t slice = 0; slice < slices.size(); ++slice) {
    const Time ends = slice + 1 < slices.size() ? slices[slice].ends / kSecond : kNever;
    check(called.most(slice, slice + 1), slices[slice].begins / kSecond, ends);
  }
}

}  // namespace

int main() {
  std::mt19937 random(5);
  for (int i = 0; i < 200; ++i) check_calls(random, i % 2 == 0 ? 300 : 100'000);
  for (int i = 0; i < 400; ++i) {
    const bool is_long = i % 20 == 0;
    const Case one(random, is_long);
    const Ledger whole = one.replayed(false, kNone, kNone);
    std::vector<Ledger> by_lookup, by_node, by_both;
    for (Id lookup = 0; lookup < kLookups; ++lookup)
      by_lookup.push_back(one.replayed(true, lookup, kNone));
    for (Id place = 0; place < kPlaces; ++place) {
      by_node.push_back(one.replayed(true, kNone, place));
      for (Id lookup = 0; lookup < kLookups; ++lookup)
        by_both.push_back(one.replayed(true, lookup, place));
    }
    for (const std::vector<Ledger>* const parts : {&by_lookup, &by_node, &by_both})
      check_sum(*parts, whole);
    if (is_long) check_split(one);
  }
  std::puts("sum: passed");
}
