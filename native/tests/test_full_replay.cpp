// Random events under random rules of every kind: entries, compartments and sizes agree after every
// one of them, every read is counted once, every entry that came in has left in one way or is still
// held, and all is counted as in one batch.
#include <memory>
#include <random>

#include "check.hpp"
#include "random_case.hpp"
#include "watched.hpp"
#include "vestigo/any_replay.hpp"
#include "vestigo/full/replay.hpp"

namespace vestigo::full {
namespace {

GroupRules random_group(std::mt19937& random, Per per) {
  GroupRules group;
  static_cast<Rules&>(group) = random_rules(random);
  group.jitter = group.absolute == kNever
                     ? 0
                     : static_cast<Time>(random() % static_cast<unsigned>(group.absolute + 1));
  group.drop_first = random() % 6 == 0;
  group.survives_restart = random() % 2;
  group.pinned = random() % 4 == 0;
  group.passes = random() % 8 != 0;
  static_cast<ValueRules&>(group) = random_value_rules(random);
  group.collect = static_cast<Collect>(random() % 3);
  group.collect_every = 1 + random() % 6;
  group.reloads = random() % 2;
  group.tell_nodes = per == Per::node ? static_cast<TellNodes>(random() % 3) : TellNodes::nothing;
  group.tell_delay = random() % 4;
  group.serve_on_failure = random() % 12;
  group.keep_failures = random() % 6;
  return group;
}

// An entry for each key, or for each key on each of three nodes where these have pools of their
// own.
void number_entries(Setting& setting, Events& events, Id keys) {
  std::vector<Id> first;
  setting.keys = static_cast<std::size_t>(keys);
  const auto groups = static_cast<Id>(setting.groups.size());
  for (Id key = 0; key < keys; ++key) {
    const Per per = setting.per[static_cast<std::size_t>(
        setting.groups[static_cast<std::size_t>(key % groups)].pool)];
    first.push_back(static_cast<Id>(setting.entry_groups.size()));
    for (Id node = 0; node < (per == Per::node ? 3 : 1); ++node) {
      setting.entry_groups.push_back(key % groups);
      setting.entry_keys.push_back(key);
      setting.entry_nodes.push_back(node);
    }
  }
  for (std::size_t i = 0; i < events.at.size(); ++i) {
    const Id key = events.key[i];
    const Per per = setting.per[static_cast<std::size_t>(
        setting.groups[static_cast<std::size_t>(key % groups)].pool)];
    events.key[i] =
        first[static_cast<std::size_t>(key)] + (per == Per::node ? events.node[i] + 1 : 0);
  }
}

Setting random_setting(std::mt19937& random, Events& events, Id keys, Eviction eviction,
                       bool timed) {
  const std::size_t lookups = 2, groups = 4;
  const bool shared = random() % 3 == 0;
  Setting setting{.clears = random_moments(random, groups, events),
                  .origins = {},
                  .lookups = lookups,
                  .nodes = 2,
                  .unnamed_node = random() % 2 == 0,
                  .timed = timed};
  for (std::size_t pool = 0; pool < (shared ? 1 : lookups); ++pool) {
    setting.pools.push_back(random_pool(random, eviction));
    setting.per.push_back(static_cast<Per>(random() % 3));
  }
  const auto expires = random_moments(random, groups, events);
  for (std::size_t group = 0; group < groups; ++group) {
    const std::size_t lookup = group % lookups, pool = shared ? 0 : lookup;
    setting.groups.push_back(random_group(random, setting.per[pool]));
    setting.groups.back().lookup = static_cast<Id>(lookup);
    setting.groups.back().pool = static_cast<Id>(pool);
    setting.groups.back().expires_at = expires[group];
  }
  if (timed && random() % 2) {
    setting.origins = {random_origin(random, events, true), random_origin(random, events, true)};
    const Id other = static_cast<Id>(random() % 3) - 1;
    for (GroupRules& group : setting.groups) group.origin = group.lookup == 0 ? 0 : other;
  }
  number_entries(setting, events, keys);
  setting.spares = !timed && random() % 2 == 0;
  setting.news_take = 3;
  setting.last_rows.assign(4, -1);
  for (std::size_t row = 0; row < events.at.size(); ++row)
    setting.last_rows[static_cast<std::size_t>(events.scope[row]) + 1] =
        static_cast<std::int64_t>(row);
  setting.scopes_at_once = 4 * setting.pools.size();
  setting.scope_slots = 4 * static_cast<std::size_t>(keys);
  return setting;
}

// Loads that are under way when a batch is over end in a later one.
void in_batches(std::mt19937& random, const Setting& setting, const Events& events,
                const Tally& total) {
  ReplayBy<full::Replay<>> replay(setting, {.counts_from = events.at[0]},
                                  Slices(events.at[0] - 3, 7, 100));
  std::vector<std::unique_ptr<Batch>> batches;
  for (std::size_t begin = 0; begin < events.at.size();) {
    const std::size_t end = std::min(begin + 1 + random() % 40, events.at.size());
    batches.push_back(
        std::make_unique<Batch>(events, begin, end, begin == 0 ? nullptr : batches.back().get()));
    replay.feed(batches.back()->columns, {});
    begin = end;
  }
  const Ledger closed = replay.close();
  CHECK(closed.total().counts == total.counts && closed.total().sums == total.sums);
}

void one_case(std::mt19937& random, Eviction eviction, bool timed) {
  const Id keys = 8;
  Events events = random_events(random, 150, keys, 2, timed, true);
  const Setting setting = random_setting(random, events, keys, eviction, timed);
  const Slices slices(events.at[0] - 3, 7, 100);
  full::Replay<> replay(setting, slices);
  replay.catch_up({}, events.at[0]);
  replay.count_from(events.at[0]);
  std::int64_t reads = 0;
  const Batch batch(events, 0, events.at.size(), nullptr);
  const Columns& all = batch.columns;
  replay.open(all);
  for (std::size_t i = 0; i < all.events; ++i) {
    replay.feed(all, i, i + 1);
    // A read whose node has no entries, since readers were said to name theirs, is none: only a
    // trace that is not the one announced has it.
    const bool nowhere = setting.per[static_cast<std::size_t>(
                             setting
                                 .groups[static_cast<std::size_t>(
                                     setting.entry_groups[static_cast<std::size_t>(all.key[i])])]
                                 .pool)] == Per::node &&
                         !setting.unnamed_node && all.node[i] == kNone;
    reads += (all.mark[i] & kOp) == kRead && !nowhere;
    CHECK(replay.check());
    check_books(replay.ledger(), reads);
  }
  replay.close(events.at.back());
  const Tally& total = replay.ledger().total();

  ReplayBy<full::Replay<>> whole(setting, {.counts_from = events.at[0]}, slices);
  whole.feed(all, {});
  const Ledger closed = whole.close();
  const Tally& other = closed.total();
  CHECK(other.counts == total.counts && other.sums == total.sums);
  in_batches(random, setting, events, total);

  ReplayBy<full::Replay<Witness<kAll>>> seen(setting, {.counts_from = events.at[0]}, slices);
  check_witness(seen, all, setting.keys, total);
}

// What was announced of scopes is believed only as far as there is room.
void too_many_scopes(std::mt19937& random) {
  for (const bool slots : {false, true}) {
    Events events = random_events(random, 150, 8, 2, true, true);
    Setting setting = random_setting(random, events, 8, Eviction::Lru, true);
    for (Per& per : setting.per) per = Per::scope;
    for (std::size_t i = 0; i < events.at.size(); ++i)
      events.key[i] = setting.entry_keys[static_cast<std::size_t>(events.key[i])];
    for (std::vector<Id>* const entries :
         {&setting.entry_groups, &setting.entry_keys, &setting.entry_nodes})
      entries->clear();
    for (Id key = 0; key < 8; ++key) setting.entry_groups.push_back(key % 4);
    for (GroupRules& group : setting.groups) group.tell_nodes = TellNodes::nothing;
    (slots ? setting.scope_slots : setting.scopes_at_once) = 1;
    full::Replay<> replay(setting, Slices(events.at[0] - 3, 7, 100));
    bool refused = false;
    try {
      const Batch batch(events, 0, events.at.size(), nullptr);
      replay.open(batch.columns);
      replay.feed(batch.columns, 0, events.at.size());
    } catch (const std::length_error&) {
      refused = true;
    }
    CHECK(refused);
  }
}

}  // namespace
}  // namespace vestigo::full

int main() {
  using namespace vestigo;
  std::mt19937 random(11);
  for (std::size_t eviction = 0; eviction < kPolicies; ++eviction) {
    for (int i = 0; i < 60; ++i) full::one_case(random, static_cast<Eviction>(eviction), i % 2);
  }
  full::too_many_scopes(random);
  std::puts("full replay: passed");
}
