// Random events under random rules, in random batches: entries, orders, sizes and loads agree after
// every one of them, every read is counted once, every entry that came in has left in one way or is
// still held, and all is counted as in one batch.
#include <memory>
#include <random>

#include "check.hpp"
#include "random_case.hpp"
#include "watched.hpp"
#include "vestigo/any_replay.hpp"

using namespace vestigo;

namespace {

// `watched`: the same is counted where a witness sees it, and of each key.
template <class Policy, Loading loading, bool by_value = false, bool watched = false>
void one_case(std::mt19937& random, Eviction eviction) {
  const Id keys = 6, groups = 2;
  std::vector<Rules> rules;
  std::vector<ValueRules> value_rules;
  std::vector<Id> lookups, nodes, group_pools;
  std::vector<PoolRules> pools;
  const bool shared = random() % 3 == 0, on_nodes = random() % 2 == 0;
  const Id places = on_nodes ? 3 : 1;
  for (Id group = 0; group < groups; ++group) {
    rules.push_back(random_rules(random));
    if (on_nodes && random() % 2) rules.back().tell_nodes = TellNodes::drop;
    if (by_value) value_rules.push_back(random_value_rules(random));
    const PoolRules pool = random_pool(random, eviction);
    for (Id node = 0; node < places; ++node) {
      lookups.push_back(group);
      nodes.push_back(node - 1);
      group_pools.push_back(shared ? node : group * places + node);
      if (group == 0 || !shared) pools.push_back(pool);
    }
  }
  const std::vector<std::uint8_t> of_node(lookups.size(), on_nodes);
  std::vector<Id> key_groups;
  for (Id key = 0; key < keys; ++key) key_groups.push_back(key % groups);
  Events events = random_events(random, 200, keys, groups, loading != Loading::instant);
  const OnNodes entries =
      on_nodes ? put_on_nodes(events, keys, groups) : OnNodes{.groups = key_groups};
  const Slices slices(events.at[0] - 3, 7, 100);
  std::vector<Served> origins;
  if (loading == Loading::served) {
    origins = {random_origin(random, events, false), random_origin(random, events, false)};
    for (ValueRules& own : value_rules) own.origin = static_cast<Id>(random() % 3) - 1;
  }
  const auto clears = random_moments(random, rules.size(), events);
  const PlainSetting setting{.entry_groups = entries.groups,
                             .entry_keys = entries.keys,
                             .entry_is_first = entries.is_first,
                             .keys = static_cast<std::size_t>(keys),
                             .lookups = rules,
                             .value_rules = value_rules,
                             .group_lookups = lookups,
                             .group_nodes = nodes,
                             .group_is_of_node = of_node,
                             .group_pools = group_pools,
                             .pools = pools,
                             .origins = origins,
                             .clears = clears,
                             .news_take = 3};
  PlainReplay<Policy, loading, by_value> replay(setting, slices);
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
      CHECK(replay.check());
      check_books(replay.ledger(), reads);
    }
  }
  replay.close(events.at.back());
  const Tally& total = replay.ledger().total();
  Counted sliced;
  for (const Slice& slice : replay.ledger().slices().done()) sliced.add(slice.counted);
  CHECK(sliced.counts == total.counts && sliced.sums == total.sums);

  ReplayBy<PlainReplay<Policy, loading, by_value>> whole(setting, {.counts_from = events.at[0]},
                                                         slices);
  whole.feed(Batch(events, 0, events.at.size(), nullptr).columns, {});
  const Ledger closed = whole.close();
  const Tally& other = closed.total();
  CHECK(other.counts == total.counts && other.sums == total.sums);

  if constexpr (watched) {
    ReplayBy<PlainReplay<Policy, loading, by_value, Witness<kAll>>> seen(
        setting, {.counts_from = events.at[0]}, slices);
    check_witness(seen, Batch(events, 0, events.at.size(), nullptr).columns,
                  setting.entry_groups.size(), total);
  }
}

}  // namespace

int main() {
  std::mt19937 random(7);
  for (int i = 0; i < 300; ++i) {
    one_case<policy::Lru, Loading::instant>(random, Eviction::Lru);
    one_case<policy::Lru, Loading::timed>(random, Eviction::Lru);
    one_case<policy::Lru, Loading::spared>(random, Eviction::Lru);
    one_case<policy::Lru, Loading::instant, true>(random, Eviction::Lru);
    one_case<policy::Lru, Loading::timed, true, true>(random, Eviction::Lru);
    one_case<policy::Lru, Loading::served, true>(random, Eviction::Lru);
  }
  for (std::size_t eviction = 0; eviction < kPolicies; ++eviction) {
    for (int i = 0; i < 50; ++i)
      one_case<policy::Any, Loading::instant>(random, static_cast<Eviction>(eviction));
    for (int i = 0; i < 50; ++i)
      one_case<policy::Any, Loading::timed>(random, static_cast<Eviction>(eviction));
  }
  std::puts("replay: passed");
}
