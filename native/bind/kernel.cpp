// bind/kernel.cpp: the kernel as a Python module. Arguments are checked first; then the GIL is released.
#include <algorithm>
#include <optional>

#include <nanobind/nanobind.h>
#include <nanobind/stl/array.h>
#include <nanobind/stl/optional.h>
#include <nanobind/stl/pair.h>
#include <nanobind/stl/string.h>
#include <nanobind/stl/vector.h>

#include "columns.hpp"
#include "sheet.hpp"
#include "vestigo/any_replay.hpp"
#include "vestigo/truth.hpp"

namespace nb = nanobind;
using namespace nb::literals;

namespace vestigo::bind {
namespace {

constexpr Time kSecond = 1'000'000'000;

void check(const Rules& rules) {
  const auto span = [](Time value) { return value == kNever || (value >= 0 && value <= kLongestSpan); };
  if (rules.entry_overhead < 0 || rules.entry_overhead > (Bytes{1} << 28)) refuse("an overhead is out of range");
  if (!span(rules.absolute) || !span(rules.sliding) || !span(rules.null_lifetime) || rules.hit_cost < 0 ||
      rules.hit_cost > kLongestSpan || !span(rules.clear_every) || rules.clear_every == 0 || rules.jitter < 0 || rules.jitter > rules.absolute ||
      rules.null_jitter < 0 || rules.null_jitter > rules.null_lifetime) {
    refuse("a span of time is out of range");
  }
}

void check(const PoolRules& rules) {
  if (rules.max_entries < 1 || rules.max_bytes < 0 || rules.trim_entries < 0 || rules.trim_bytes < 0 || rules.max_entries > kNever ||
      rules.max_bytes > kNever) {
    refuse("a limit is out of range");
  }
  const auto& numbers = rules.eviction_numbers;
  const auto between = [](std::int64_t number, std::int64_t least, std::int64_t most) { return number >= least && number <= most; };
  if (!std::all_of(numbers.begin(), numbers.end(), [&](std::int64_t number) { return between(number, 0, INT64_MAX); }) ||
      (rules.eviction == Eviction::lru_k && !between(numbers[0], 1, 8)) ||
      (rules.eviction == Eviction::w_tiny_lfu && !between(numbers[2], 1, 1000))) {
    refuse("a policy's parameter is out of range");
  }
}

// A replay under way: it is fed the batches of a trace in order, then closed.
class BoundReplay {
 public:
  BoundReplay(Column<Id> key_rooms, const std::vector<Rules>& rooms, const std::vector<Id>& room_pools, const std::vector<PoolRules>& pools,
              std::uint64_t first_counted, bool timed, Time slice_origin, Time slice_width, std::size_t slices)
      : keys_(key_rooms.size()) {
    if (rooms.empty() || rooms.size() > 65'535 || room_pools.size() != rooms.size() || pools.size() > rooms.size()) {
      refuse("no look-ups, or more than 65,535, or more pools than these");
    }
    if (keys_ + pools.size() * policy::kHubs >= static_cast<std::size_t>(INT32_MAX)) refuse("more than 2^31 keys");
    for (const Rules& one : rooms) check(one);
    for (const PoolRules& one : pools) check(one);
    const auto within = [](std::span<const Id> ids, std::size_t end) {
      return std::all_of(ids.begin(), ids.end(), [end](Id id) { return id >= 0 && static_cast<std::size_t>(id) < end; });
    };
    if (!within(view(key_rooms), rooms.size()) || !within(room_pools, pools.size())) refuse("a key's look-up or pool is out of range");
    if (slice_width < 1 || slice_width > kLongestSpan || slices < 1 || slices > 10'000 || slice_origin < kEarliest - kLongestSpan ||
        slice_origin > kLatest || slice_width % kSecond != 0 || slice_origin % kSecond != 0) {
      refuse("slices are out of range, or not of whole seconds");
    }
    nb::gil_scoped_release released;
    const Setting setting{view(key_rooms), rooms, room_pools, pools};
    replay_ = begin_replay(setting, {first_counted, timed}, Slices(slice_origin, slice_width, slices));
    foresees_ = std::any_of(pools.begin(), pools.end(), [](const PoolRules& pool) { return pool.eviction == Eviction::belady; });
  }

  // `next_read` is asked for by a policy that knows the future.
  void feed(const BoundColumns& batch, std::optional<Column<std::int64_t>> next_read) {
    if (replay_ == nullptr) refuse("the replay is closed");
    if (batch.follows() != last_batch_ || batch.keys() != keys_) refuse("a batch is not the next one");
    Columns columns = batch.columns();
    if (next_read.has_value() != foresees_ || (foresees_ && next_read->size() != columns.events)) refuse("next reads are missing, or too many");
    if (foresees_) {
      for (const std::int64_t next : view(*next_read)) {
        if (next < 0) refuse("a next read is out of range");
      }
      columns.next_read = next_read->data();
    }
    events_ += columns.events;
    largest_ = std::max(largest_, batch.largest());
    if (events_ > UINT32_MAX) refuse("more than 2^32 events");
    if (largest_ > kMostBytes / static_cast<Bytes>(events_)) refuse("a size is out of range");
    if (batch.cost() > kMostCost - cost_) refuse("the costs add up to too much");
    cost_ += batch.cost();
    last_batch_ = batch.number();
    nb::gil_scoped_release released;
    replay_->feed(columns);
  }

  // What was counted; the replay cannot be used after this.
  nb::dict close() {
    if (replay_ == nullptr || events_ == 0) refuse("the replay is closed, or was fed nothing");
    const auto closed = std::exchange(replay_, nullptr);
    const Ledger& ledger = [&]() -> const Ledger& {
      nb::gil_scoped_release released;
      return closed->close();
    }();
    Sheet lookups, all, over_time;
    for (const Tally& tally : ledger.tallies()) lookups.add(tally);
    all.add(ledger.total());
    std::vector<Time> begins, ends;
    for (const Slice& slice : ledger.slices().done()) {
      over_time.add(slice.tally);
      begins.push_back(slice.begins);
      ends.push_back(slice.ends);
    }
    nb::dict result;
    result["lookups"] = std::move(lookups).arrays();
    result["total"] = std::move(all).arrays();
    result["slices"] = std::move(over_time).arrays();
    result["begins"] = array(std::move(begins));
    result["ends"] = array(std::move(ends));
    return result;
  }

 private:
  std::size_t keys_;
  std::unique_ptr<AnyReplay> replay_;
  std::uint64_t last_batch_ = 0, events_ = 0;
  Bytes largest_ = 0;
  Time cost_ = 0;
  bool foresees_ = false;
};

// The truth of a trace, told batch by batch (see truth.hpp).
class BoundTruth {
 public:
  BoundTruth(std::size_t keys, bool unnamed_writes) : keys_(keys), truth_(keys, unnamed_writes) {}

  // (value, mark, names) of the next rows. `mark` comes back with the rows marked that only name a value.
  nb::tuple see(Column<std::uint8_t> mark, Column<Id> key, Column<Id> version, Column<std::int8_t> found) {
    const std::size_t events = mark.size();
    if (key.size() != events || version.size() != events || found.size() != events) refuse("columns differ in length");
    for (const Id id : view(key)) {
      if (id < 0 || static_cast<std::size_t>(id) >= keys_) refuse("a key is out of range");
    }
    if (events > truth_.left()) refuse("more than 2^31 values without a version");
    std::vector<Id> values(events, kUnseen);
    std::vector<std::uint8_t> marks(mark.data(), mark.data() + events);
    {
      nb::gil_scoped_release released;
      for (std::size_t i = 0; i < events; ++i) {
        const auto op = static_cast<std::uint8_t>(mark(i) & kOp);
        if (op > kWrite) continue;
        values[i] = truth_.see({.mark = op, .key = key(i), .version = version(i), .found = found(i)}, marks[i]);
      }
    }
    std::vector<Id> names;
    for (const auto& [unnamed, name] : truth_.take_names()) {
      names.push_back(unnamed);
      names.push_back(name);
    }
    return nb::make_tuple(array(std::move(values)), array(std::move(marks)), array(std::move(names), 2));
  }

 private:
  std::size_t keys_;
  Truth truth_;
};

}  // namespace

NB_MODULE(kernel, m) {
  m.doc() = "The replay kernel. Imported by vestigo.engine.native alone.";
  m.attr("CAUSES") = nb::make_tuple("first", "evicted", "aged", "idle", "dropped", "cleared", "restarted", "null", "refused",
                                    "forced", "loading");
  m.attr("COUNTS") = nb::make_tuple("hits", "joined", "stale_hits", "joined_stale", "ghosts", "nulls_read", "nulls_hit", "loads",
                                    "evictions", "expirations", "drops", "clears", "refusals", "raced", "stored", "superseded",
                                    "lost", "bytes_hit", "bytes_missed");
  m.attr("SUMS") = nb::make_tuple("origin_time", "read_time", "stale_age", "held", "idle_held");
  m.attr("MOSTS") = nb::make_tuple("longest_read", "oldest_stale", "surge_second", "surge_minute", "entries_peak", "memory_peak");

  nb::enum_<Nulls>(m, "Nulls").value("skip", Nulls::skip).value("keep", Nulls::keep).value("blind", Nulls::blind);
  nb::enum_<OnWrite>(m, "OnWrite")
      .value("leave", OnWrite::leave)
      .value("drop", OnWrite::drop)
      .value("replace", OnWrite::replace);
  nb::enum_<Overlap>(m, "Overlap").value("repeat", Overlap::repeat).value("join", Overlap::join);
  nb::enum_<Eviction>(m, "Eviction")
      .value("lru", Eviction::lru)
      .value("fifo", Eviction::fifo)
      .value("mru", Eviction::mru)
      .value("random", Eviction::random)
      .value("clock", Eviction::clock)
      .value("sieve", Eviction::sieve)
      .value("lfu", Eviction::lfu)
      .value("lfu_da", Eviction::lfu_da)
      .value("lru_k", Eviction::lru_k)
      .value("slru", Eviction::slru)
      .value("two_q", Eviction::two_q)
      .value("arc", Eviction::arc)
      .value("lirs", Eviction::lirs)
      .value("s3_fifo", Eviction::s3_fifo)
      .value("w_tiny_lfu", Eviction::w_tiny_lfu)
      .value("gdsf", Eviction::gdsf)
      .value("belady", Eviction::belady);

  nb::class_<Rules>(m, "Rules")
      .def(nb::init<>())
      .def_rw("absolute", &Rules::absolute)
      .def_rw("sliding", &Rules::sliding)
      .def_rw("null_lifetime", &Rules::null_lifetime)
      .def_rw("jitter", &Rules::jitter)
      .def_rw("null_jitter", &Rules::null_jitter)
      .def_rw("clear_every", &Rules::clear_every)
      .def_rw("drop_first", &Rules::drop_first)
      .def_rw("survives_restart", &Rules::survives_restart)
      .def_rw("entry_overhead", &Rules::entry_overhead)
      .def_rw("hit_cost", &Rules::hit_cost)
      .def_rw("nulls", &Rules::nulls)
      .def_rw("on_write", &Rules::on_write)
      .def_rw("overlap", &Rules::overlap);

  nb::class_<PoolRules>(m, "PoolRules")
      .def(nb::init<>())
      .def_rw("max_entries", &PoolRules::max_entries)
      .def_rw("max_bytes", &PoolRules::max_bytes)
      .def_rw("trims", &PoolRules::trims)
      .def_rw("trim_entries", &PoolRules::trim_entries)
      .def_rw("trim_bytes", &PoolRules::trim_bytes)
      .def_rw("refuses", &PoolRules::refuses)
      .def_rw("eviction", &PoolRules::eviction)
      .def_rw("eviction_numbers", &PoolRules::eviction_numbers);

  nb::class_<BoundColumns>(m, "Columns")
      .def(nb::init<Column<Time>, Column<Id>, Column<Id>, Column<std::uint8_t>, Column<Bytes>, Column<Time>, std::size_t,
                    const BoundColumns*>(),
           "at"_a.noconvert(), "key"_a.noconvert(), "value"_a.noconvert(), "mark"_a.noconvert(), "size"_a.noconvert(),
           "cost"_a.noconvert(), "keys"_a, "before"_a = nb::none())
      .def_prop_ro("events", &BoundColumns::events);

  nb::class_<BoundTruth>(m, "Truth")
      .def(nb::init<std::size_t, bool>(), "keys"_a, "unnamed_writes"_a)
      .def("see", &BoundTruth::see, "mark"_a.noconvert(), "key"_a.noconvert(), "version"_a.noconvert(), "found"_a.noconvert());

  nb::class_<BoundReplay>(m, "Replay")
      .def(nb::init<Column<Id>, const std::vector<Rules>&, const std::vector<Id>&, const std::vector<PoolRules>&, std::uint64_t, bool, Time, Time,
                    std::size_t>(),
           "key_rooms"_a.noconvert(), "rooms"_a, "room_pools"_a, "pools"_a, "first_counted"_a, "timed"_a, "slice_origin"_a,
           "slice_width"_a, "slices"_a)
      .def("feed", &BoundReplay::feed, "batch"_a, "next_read"_a.noconvert() = nb::none())
      .def("close", &BoundReplay::close);
}

}  // namespace vestigo::bind
