// bind/replay.cpp: a replay as a Python class. It checks its arguments first, and then releases the
// GIL.
#include <nanobind/stl/tuple.h>

#include <algorithm>
#include <memory>
#include <tuple>

#include "columns.hpp"
#include "counted.hpp"
#include "settings.hpp"
#include "vestigo/any_replay.hpp"
#include "witness.hpp"

namespace nb = nanobind;
using namespace nb::literals;

namespace vestigo::bind {
namespace {

// The columns of Answers, in its order.
using BoundAnswers = std::tuple<Written<std::uint8_t>, Written<Time>, Written<Time>>;

Answers checked(const BoundAnswers& asked, std::size_t events) {
  const auto& [answer, took, age] = asked;
  if (answer.size() != events || took.size() != events || age.size() != events)
    refuse("columns differ in length");
  return {answer.data(), took.data(), age.data()};
}

// A replay under way. It is fed the batches of a trace in order, and then closed.
class BoundReplay {
 public:
  BoundReplay(const PlainAsked& asked, const Counting& counting, const WatchingAsked* watching)
      : asked_(asked) {
    const std::size_t places = asked.place_lookups.size();
    check(asked, places);
    check(counting);
    if (asked.place_nodes.size() != places || asked.place_is_of_node.size() != places ||
        asked.place_pools.size() != places)
      refuse("places differ in number");
    if (entries() + asked.place_pool_rules.size() * policy::kSentinels >= kMostIds)
      refuse("more than 2^31 keys");
    if (!within(asked.place_lookups, asked.groups.size()) ||
        !within(asked.place_pools, asked.place_pool_rules.size())) {
      refuse("a place's look-up or pool is out of range");
    }
    std::vector<PoolRules> pools;
    for (const std::size_t pool : asked.place_pool_rules) {
      if (pool >= asked.pools.size()) refuse("a pool is out of range");
      pools.push_back(asked.pools[pool]);
    }
    foresees_ = some_foresee(pools);
    const auto origins = checked_origins(asked);
    if ((counting.loading == Loading::served) == origins.empty())
      refuse("origins serve loads, or there are none");
    if (!origins.empty() && watching != nullptr) refuse("to tell of origins takes a full replay");
    for (const Served& origin : origins) {
      if (!origin.down.empty()) refuse("an origin that is away takes a full replay");
    }
    const std::vector<Rules> rules(asked.groups.begin(), asked.groups.end());
    const std::vector<ValueRules> value_rules(asked.groups.begin(), asked.groups.end());
    const auto clears = checked_moments(asked.clears);
    const auto watched = watch(watching, entries());
    nb::gil_scoped_release released;
    const PlainSetting setting{.entry_groups = view(asked_.entry_groups),
                               .entry_keys = asked_.keys_of_entries(),
                               .entry_is_first = asked.entry_is_first
                                                     ? view(*asked.entry_is_first)
                                                     : std::span<const std::uint8_t>{},
                               .keys = asked.keys,
                               .lookups = rules,
                               .value_rules = value_rules,
                               .group_lookups = asked.place_lookups,
                               .group_nodes = asked.place_nodes,
                               .group_is_of_node = asked.place_is_of_node,
                               .group_pools = asked.place_pools,
                               .pools = pools,
                               .origins = origins,
                               .clears = clears,
                               .news_take = counting.news_take};
    replay_ = begin_replay(setting, run(counting), slices(counting), watched);
  }

  BoundReplay(const FullAsked& asked, const Counting& counting, const WatchingAsked* watching)
      : asked_(asked),
        full_(true),
        nodes_(asked.nodes),
        scopes_(asked.last_rows.size()),
        foresees_(some_foresee(asked.pools)) {
    full::Setting setting = checked_setting(asked, counting);
    const auto watched = watch(watching, asked.keys);
    nb::gil_scoped_release released;
    replay_ = begin_full_replay(std::move(setting), run(counting), slices(counting), watched);
  }

  // Whether some policy knows the future.
  bool foresees() const { return foresees_; }

  // `next_read` is needed by policies that know the future. `answers` are columns to write, for a
  // replay that tells of its reads.
  void feed(const BoundColumns& batch, std::optional<Column<std::int64_t>> next_read,
            std::optional<BoundAnswers> answers) {
    if (replay_ == nullptr) refuse("the replay is closed");
    if (batch.follows() != last_batch_ || batch.keys() != entries())
      refuse("a batch is not the next one");
    Columns columns = batch.columns();
    if (next_read.has_value() != foresees_ || (foresees_ && next_read->size() != columns.events))
      refuse("next reads are missing, or too many");
    if (foresees_) {
      if (!std::all_of(next_read->data(), next_read->data() + columns.events,
                       [](std::int64_t next) { return next >= 0; }))
        refuse("a next read is out of range");
      columns.next_read = next_read->data();
    }
    if (full_ && (batch.nodes() > nodes_ || batch.scopes() >= scopes_))
      refuse("a node or scope is out of range");
    if (!full_ && batch.has_preloads()) refuse("preloads take a full replay");
    if (answers.has_value() != tells_reads_)
      refuse("there is nowhere to tell of reads, or nobody tells");
    const auto told = answers ? std::optional(checked(*answers, columns.events)) : std::nullopt;
    events_ += columns.events;
    largest_ = std::max(largest_, batch.largest());
    if (events_ > UINT32_MAX) refuse("more than 2^32 events");
    if (largest_ > kMostBytes / static_cast<Bytes>(events_)) refuse("a size is out of range");
    if (batch.cost() > kMostCost - cost_) refuse("the costs add up to too much");
    cost_ += batch.cost();
    last_batch_ = batch.number();
    nb::gil_scoped_release released;
    replay_->feed(columns, told);
  }

  // The rows of stale answers since the last call, and their stale ages.
  nb::tuple take_stale() {
    const Testimony* const told = replay_ ? replay_->testimony() : nullptr;
    if (told == nullptr) refuse("the replay is closed, or tells nothing");
    const auto stale = std::exchange(replay_->testimony()->stale, {});
    return nb::make_tuple(
        column<std::int64_t>(stale, [](const StaleAnswer& one) { return one.row; }),
        column<Time>(stale, [](const StaleAnswer& one) { return one.age; }));
  }

  // What was counted. The replay cannot be used after this.
  nb::dict close() {
    if (replay_ == nullptr || events_ == 0) refuse("the replay is closed, or was fed nothing");
    const auto closed = std::exchange(replay_, nullptr);
    const auto close = [&] {
      nb::gil_scoped_release released;
      return BoundCounted(closed->close());
    };
    nb::dict result;
    result["counted"] = close();
    if (Testimony* const told = closed->testimony()) {
      if (told->keys.counting() && !full_ && asked_.entry_keys)
        told->keys.gather(asked_.keys_of_entries(), asked_.keys);
      result["keys"] = arrays(std::move(told->keys));
      result["happenings"] = arrays(told->log.take());
    }
    return result;
  }

 private:
  static bool some_foresee(const std::vector<PoolRules>& pools) {
    return std::any_of(pools.begin(), pools.end(),
                       [](const PoolRules& pool) { return pool.evicts_by(Eviction::Belady); });
  }
  static Run run(const Counting& counting) {
    return {counting.first_counted, counting.counts_from, counting.loading,
            counting.blocks_in_slice};
  }
  static Slices slices(const Counting& counting) {
    return Slices(counting.slice_origin, counting.slice_width, counting.slices, counting.split);
  }
  std::size_t entries() const { return asked_.entries(); }

  std::optional<Watching> watch(const WatchingAsked* asked, std::size_t rows) {
    if (asked == nullptr) return {};
    tells_reads_ = asked->reads;
    return checked(*asked, rows);
  }

  Asked asked_;  // a replay looks the entries' keys up
  bool full_ = false, tells_reads_ = false;
  std::size_t nodes_ = 0, scopes_ = 1;
  bool foresees_ = false;
  std::unique_ptr<AnyReplay> replay_;
  std::uint64_t last_batch_ = 0, events_ = 0;
  Bytes largest_ = 0;
  Time cost_ = 0;
};

}  // namespace

void bind_replay(nb::module_& m) {
  nb::class_<BoundReplay>(m, "Replay")
      .def(nb::init<const PlainAsked&, const Counting&, const WatchingAsked*>(), "asked"_a,
           "counting"_a, "watching"_a = nb::none())
      .def(nb::init<const FullAsked&, const Counting&, const WatchingAsked*>(), "asked"_a,
           "counting"_a, "watching"_a = nb::none())
      .def("feed", &BoundReplay::feed, "batch"_a, "next_read"_a.noconvert() = nb::none(),
           "answers"_a.noconvert() = nb::none())
      .def("close", &BoundReplay::close)
      .def("take_stale", &BoundReplay::take_stale)
      .def_prop_ro("foresees", &BoundReplay::foresees);
}

}  // namespace vestigo::bind
