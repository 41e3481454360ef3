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
#include "truth.hpp"
#include "vestigo/any_replay.hpp"
#include "vestigo/full/compartments.hpp"
#include "vestigo/numbering.hpp"

namespace nb = nanobind;
using namespace nb::literals;

namespace vestigo::bind {

void bind_curve(nb::module_& m);  // curve.cpp

namespace {

constexpr Time kSecond = 1'000'000'000;

void check(const Rules& rules) {
  const auto span = [](Time value) { return value == kNever || (value >= 0 && value <= kLongestSpan); };
  if (rules.entry_overhead < 0 || rules.entry_overhead > (Bytes{1} << 28)) refuse("an overhead is out of range");
  if (!span(rules.absolute) || !span(rules.sliding) || !span(rules.null_lifetime) || rules.hit_cost < 0 ||
      rules.hit_cost > kLongestSpan || rules.jitter < 0 || rules.jitter > rules.absolute ||
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

void check(const full::RoomRules& room, const full::Setting& setting) {
  check(static_cast<const Rules&>(room));
  const auto span = [](Time value) { return value >= 0 && value <= kLongestSpan; };
  if (room.lookup < 0 || static_cast<std::size_t>(room.lookup) >= setting.lookups || room.pool < 0 ||
      static_cast<std::size_t>(room.pool) >= setting.pools.size()) {
    refuse("a room's look-up or pool is out of range");
  }
  if (!span(room.serve_stale) || !span(room.tell_delay) || !span(room.batch) || !span(room.hit_cost_per_kib) ||
      (room.collect_every != kNever && !span(room.collect_every)) || room.collect_every == 0) {
    refuse("a span of time is out of range");
  }
  if (room.refresh_of < 0 || room.refresh_to < room.refresh_of || room.refresh_to > INT64_MAX / 2) refuse("a share is out of range");
  if (room.tell_nodes != full::TellNodes::nothing && setting.per[static_cast<std::size_t>(room.pool)] != full::Per::node) {
    refuse("there are no nodes to tell");
  }
}

// A replay under way: it is fed the batches of a trace in order, then closed.
class BoundReplay {
 public:
  BoundReplay(Column<Id> entry_rooms, std::optional<Column<Id>> entry_keys, std::optional<Column<std::uint8_t>> entry_is_first, std::size_t keys, const std::vector<Rules>& lookups,
              const std::vector<Id>& room_lookups, const std::vector<Id>& room_nodes, const std::vector<std::uint8_t>& room_is_of_node, const std::vector<Id>& room_pools,
              const std::vector<PoolRules>& pools, const std::vector<Column<Time>>& clears, std::uint64_t first_counted, Loading loading, Time news_take, Time slice_origin,
              Time slice_width, std::size_t slices)
      : entry_rooms_(entry_rooms), entry_keys_(std::move(entry_keys)) {
    const std::size_t rooms = room_lookups.size();
    check_sizes(rooms, pools);
    if (room_nodes.size() != rooms || room_is_of_node.size() != rooms || room_pools.size() != rooms || clears.size() != lookups.size() || lookups.empty()) {
      refuse("rooms or look-ups differ in number");
    }
    if (entries() + pools.size() * policy::kHubs >= kMostIds) refuse("more than 2^31 keys");
    for (const Rules& one : lookups) check(one);
    check_entries(keys, rooms);
    if (entry_is_first && (entry_is_first->size() != entries() || !entry_keys_)) refuse("columns differ in length");
    if (!within(room_lookups, lookups.size()) || !within(room_pools, pools.size())) refuse("a room's look-up or pool is out of range");
    if (news_take < 0 || news_take > kLongestSpan) refuse("a span of time is out of range");
    const auto clear_times = moments(clears);
    Slices parts = checked_slices(slice_origin, slice_width, slices);
    nb::gil_scoped_release released;
    const Setting setting{.entry_rooms = view(entry_rooms_), .entry_keys = keys_of_entries(),
                          .entry_is_first = entry_is_first ? view(*entry_is_first) : std::span<const std::uint8_t>{}, .keys = keys, .lookups = lookups, .room_lookups = room_lookups,
                          .room_nodes = room_nodes, .room_is_of_node = room_is_of_node, .room_pools = room_pools, .pools = pools, .clears = clear_times, .news_take = news_take};
    replay_ = begin_replay(setting, {first_counted, loading}, std::move(parts));
  }

  // Of all rules there are. `last_rows`: by scope, 0 being none.
  BoundReplay(Column<Id> entry_rooms, std::optional<Column<Id>> entry_keys, std::optional<Column<Id>> entry_nodes, std::size_t keys,
              const std::vector<full::RoomRules>& rooms, const std::vector<PoolRules>& pools, const std::vector<full::Per>& per,
              const std::vector<Column<Time>>& clears, const std::vector<Column<Time>>& expires, std::size_t lookups, std::size_t nodes,
              bool unnamed_node, Column<std::int64_t> last_rows, std::size_t scopes_at_once, std::size_t scope_slots,
              std::uint64_t first_counted, Loading loading, Time news_take, Time slice_origin, Time slice_width, std::size_t slices)
      : entry_rooms_(entry_rooms), entry_keys_(std::move(entry_keys)), full_(true), nodes_(nodes), scopes_(last_rows.size()) {
    check_sizes(rooms.size(), pools);
    if (per.size() != pools.size() || clears.size() != rooms.size() || expires.size() != rooms.size()) refuse("rooms or pools differ in number");
    if (lookups < 1 || lookups > rooms.size() || nodes >= kMostIds || scope_slots >= kMostIds || scopes_at_once >= kMostIds || scopes_ < 1) {
      refuse("look-ups, nodes or scopes are out of range");
    }
    check_entries(keys, rooms.size());
    if (entry_nodes && (entry_nodes->size() != entries() || !within(view(*entry_nodes), nodes + 1))) refuse("an entry's node is out of range");
    const auto copied = [](std::span<const Id> ids) { return std::vector<Id>(ids.begin(), ids.end()); };
    full::Setting setting{.entry_rooms = copied(view(entry_rooms_)), .entry_keys = copied(keys_of_entries()),
                          .entry_nodes = entry_nodes ? copied(view(*entry_nodes)) : std::vector<Id>{}, .keys = keys,
                          .rooms = rooms, .clears = moments(clears), .pools = pools, .per = per,
                          .lookups = lookups, .nodes = nodes, .unnamed_node = unnamed_node,
                          .last_rows = {view(last_rows).begin(), view(last_rows).end()}, .scopes_at_once = scopes_at_once,
                          .scope_slots = scope_slots, .timed = loading == Loading::timed, .spares = loading == Loading::spared, .news_take = news_take};
    if (news_take < 0 || news_take > kLongestSpan) refuse("a span of time is out of range");
    const auto expires_at = moments(expires);
    for (std::size_t room = 0; room < rooms.size(); ++room) {
      check(rooms[room], setting);
      setting.rooms[room].expires_at = expires_at[room];
    }
    // Pools by nodes fit in 64 bits: each is below 2^31.
    if (full::Compartments::count_slots(setting) + policy::kHubs * full::Compartments::count_compartments(setting) >= kMostIds) {
      refuse("more than 2^31 keys of nodes and scopes");
    }
    Slices parts = checked_slices(slice_origin, slice_width, slices);
    nb::gil_scoped_release released;
    replay_ = begin_full_replay(std::move(setting), first_counted, std::move(parts));
  }

  // `next_read` is asked for by a policy that knows the future.
  void feed(const BoundColumns& batch, std::optional<Column<std::int64_t>> next_read) {
    if (replay_ == nullptr) refuse("the replay is closed");
    if (batch.follows() != last_batch_ || batch.keys() != entries()) refuse("a batch is not the next one");
    Columns columns = batch.columns();
    if (next_read.has_value() != foresees_ || (foresees_ && next_read->size() != columns.events)) refuse("next reads are missing, or too many");
    if (foresees_) {
      if (!std::all_of(next_read->data(), next_read->data() + columns.events, [](std::int64_t next) { return next >= 0; })) refuse("a next read is out of range");
      columns.next_read = next_read->data();
    }
    if (full_ && (batch.nodes() > nodes_ || batch.scopes() >= scopes_)) refuse("a node or scope is out of range");
    if (!full_ && batch.has_preloads()) refuse("preloads take a full replay");
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
  static constexpr auto kMostIds = static_cast<std::size_t>(INT32_MAX);

  void check_sizes(std::size_t rooms, const std::vector<PoolRules>& pools) {
    if (rooms < 1 || rooms > 65'535) refuse("no look-ups, or more than 65,535");
    for (const PoolRules& one : pools) check(one);
    foresees_ = std::any_of(pools.begin(), pools.end(), [](const PoolRules& pool) { return pool.eviction == Eviction::belady; });
  }

  std::size_t entries() const { return entry_rooms_.size(); }
  std::span<const Id> keys_of_entries() const { return entry_keys_ ? view(*entry_keys_) : std::span<const Id>{}; }

  void check_entries(std::size_t keys, std::size_t rooms) const {
    if (keys < 1 || keys >= kMostIds || entries() < 1) refuse("no keys, or more than 2^31");
    if (!within(view(entry_rooms_), rooms)) refuse("a key's room is out of range");
    if (entry_keys_ ? entry_keys_->size() != entries() || !within(view(*entry_keys_), keys) : entries() != keys) refuse("an entry's key is out of range");
  }

  static bool within(std::span<const Id> ids, std::size_t end) {
    return std::all_of(ids.begin(), ids.end(), [end](Id id) { return id >= 0 && static_cast<std::size_t>(id) < end; });
  }

  static std::vector<std::vector<Time>> moments(const std::vector<Column<Time>>& columns) {
    std::vector<std::vector<Time>> found;
    for (const Column<Time>& column : columns) {
      found.emplace_back(view(column).begin(), view(column).end());
      const auto& times = found.back();
      if (!std::is_sorted(times.begin(), times.end()) || (!times.empty() && (times.front() < kEarliest || times.back() > kLatest))) {
        refuse("moments are out of order or range");
      }
    }
    return found;
  }

  static Slices checked_slices(Time origin, Time width, std::size_t most) {
    if (width < 1 || width > kLongestSpan || most < 1 || most > 10'000 || origin < kEarliest - kLongestSpan || origin > kLatest ||
        width % kSecond != 0 || origin % kSecond != 0) {
      refuse("slices are out of range, or not of whole seconds");
    }
    return Slices(origin, width, most);
  }

  Column<Id> entry_rooms_;
  std::optional<Column<Id>> entry_keys_;  // a replay looks them up
  bool full_ = false;
  std::size_t nodes_ = 0, scopes_ = 1;
  std::unique_ptr<AnyReplay> replay_;
  std::uint64_t last_batch_ = 0, events_ = 0;
  Bytes largest_ = 0;
  Time cost_ = 0;
  bool foresees_ = false;
};

// Numbers keys on nodes, batch by batch.
class BoundNumbering {
 public:
  explicit BoundNumbering(std::size_t keys) : count_(keys), numbering_(keys) {}

  // The ids of the next rows; `loads` says which of them read or preload their key.
  nb::object number(Column<Id> key, Column<Id> node, Column<std::uint8_t> loads) {
    if (key.size() != node.size() || key.size() != loads.size()) refuse("columns differ in length");
    for (const Id id : view(key)) {
      if (id < 0 || static_cast<std::size_t>(id) >= count_) refuse("a key is out of range");
    }
    const std::size_t events = key.size(), ahead = 16;
    std::vector<Id> ids(events);
    {
      nb::gil_scoped_release released;
      for (std::size_t i = 0; i < events; ++i) {
        if (i + ahead < events) numbering_.fetch(key(i + ahead), node(i + ahead));
        ids[i] = numbering_.number(key(i), node(i), loads(i) != 0);
      }
    }
    return array(std::move(ids));
  }
  nb::object keys() const { return array(std::vector(numbering_.keys())); }
  nb::object nodes() const { return array(std::vector(numbering_.nodes())); }
  nb::object is_first() const { return array(std::vector(numbering_.is_first())); }

 private:
  std::size_t count_;
  Numbering numbering_;
};

}  // namespace

NB_MODULE(kernel, m) {
  m.doc() = "The replay kernel. Imported by vestigo.engine.native alone.";
  m.attr("CAUSES") = nb::make_tuple("first", "scope", "evicted", "aged", "idle", "clock", "dropped", "cleared", "restarted", "null",
                                    "refused", "forced", "loading");
  m.attr("COUNTS") = nb::make_tuple("hits", "joined", "stale_hits", "joined_stale", "ghosts", "nulls_read", "nulls_hit", "loads",
                                    "background_loads", "batched", "evictions", "expirations", "drops", "clears", "refusals", "raced",
                                    "stored", "superseded", "lost", "bytes_hit", "bytes_missed");
  m.attr("SUMS") = nb::make_tuple("origin_time", "read_time", "answer_age", "stale_age", "held", "idle_held");
  m.attr("MOSTS") = nb::make_tuple("longest_read", "oldest_answer", "oldest_stale", "surge_second", "surge_minute", "entries_peak", "memory_peak");

  nb::enum_<Nulls>(m, "Nulls").value("skip", Nulls::skip).value("keep", Nulls::keep).value("blind", Nulls::blind);
  nb::enum_<OnWrite>(m, "OnWrite")
      .value("leave", OnWrite::leave)
      .value("drop", OnWrite::drop)
      .value("replace", OnWrite::replace);
  nb::enum_<Overlap>(m, "Overlap").value("repeat", Overlap::repeat).value("join", Overlap::join);
  nb::enum_<Loading>(m, "Loading").value("instant", Loading::instant).value("timed", Loading::timed).value("spared", Loading::spared);
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
      .def_rw("drop_first", &Rules::drop_first)
      .def_rw("survives_restart", &Rules::survives_restart)
      .def_rw("entry_overhead", &Rules::entry_overhead)
      .def_rw("hit_cost", &Rules::hit_cost)
      .def_rw("nulls", &Rules::nulls)
      .def_rw("on_write", &Rules::on_write)
      .def_rw("overlap", &Rules::overlap);

  nb::enum_<full::Per>(m, "Per").value("all", full::Per::all).value("node", full::Per::node).value("scope", full::Per::scope);
  nb::enum_<full::TellNodes>(m, "TellNodes")
      .value("nothing", full::TellNodes::nothing)
      .value("drop", full::TellNodes::drop)
      .value("copy", full::TellNodes::copy);
  nb::enum_<full::Collect>(m, "Collect")
      .value("touch", full::Collect::touch)
      .value("prompt", full::Collect::prompt)
      .value("every", full::Collect::every);
  nb::class_<full::RoomRules, Rules>(m, "RoomRules")
      .def(nb::init<>())
      .def_rw("lookup", &full::RoomRules::lookup)
      .def_rw("pool", &full::RoomRules::pool)
      .def_rw("pinned", &full::RoomRules::pinned)
      .def_rw("passes", &full::RoomRules::passes)
      .def_rw("least_size", &full::RoomRules::least_size)
      .def_rw("most_size", &full::RoomRules::most_size)
      .def_rw("least_cost", &full::RoomRules::least_cost)
      .def_rw("most_cost", &full::RoomRules::most_cost)
      .def_rw("refresh_of", &full::RoomRules::refresh_of)
      .def_rw("refresh_to", &full::RoomRules::refresh_to)
      .def_rw("serve_stale", &full::RoomRules::serve_stale)
      .def_rw("collect", &full::RoomRules::collect)
      .def_rw("collect_every", &full::RoomRules::collect_every)
      .def_rw("reloads", &full::RoomRules::reloads)
      .def_rw("tell_nodes", &full::RoomRules::tell_nodes)
      .def_rw("tell_delay", &full::RoomRules::tell_delay)
      .def_rw("batch", &full::RoomRules::batch)
      .def_rw("hit_cost_per_kib", &full::RoomRules::hit_cost_per_kib);

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

  nb::class_<BoundTruth>(m, "Truth")
      .def(nb::init<std::size_t, bool>(), "keys"_a, "unnamed_writes"_a)
      .def("see", &BoundTruth::see, "at"_a.noconvert(), "mark"_a.noconvert(), "key"_a.noconvert(), "version"_a.noconvert(), "found"_a.noconvert());

  nb::class_<BoundNumbering>(m, "Numbering")
      .def(nb::init<std::size_t>(), "keys"_a)
      .def("number", &BoundNumbering::number, "key"_a.noconvert(), "node"_a.noconvert(), "loads"_a.noconvert())
      .def("is_first", &BoundNumbering::is_first)
      .def("keys", &BoundNumbering::keys)
      .def("nodes", &BoundNumbering::nodes);

  nb::class_<BoundColumns>(m, "Columns")
      .def(nb::init<Column<Time>, Column<Id>, Column<Id>, Column<Id>, Column<std::uint8_t>, Column<Bytes>, Column<Time>, Column<Id>, Column<Id>, std::size_t,
                    nb::object, const BoundColumns*>(),
           "at"_a.noconvert(), "key"_a.noconvert(), "value"_a.noconvert(), "stretch"_a.noconvert(), "mark"_a.noconvert(), "size"_a.noconvert(),
           "cost"_a.noconvert(), "node"_a.noconvert(), "scope"_a.noconvert(), "keys"_a, "truth"_a, "before"_a = nb::none())
      .def_prop_ro("events", &BoundColumns::events);

  nb::class_<BoundReplay>(m, "Replay")
      .def(nb::init<Column<Id>, std::optional<Column<Id>>, std::optional<Column<std::uint8_t>>, std::size_t, const std::vector<Rules>&, const std::vector<Id>&, const std::vector<Id>&,
                    const std::vector<std::uint8_t>&, const std::vector<Id>&, const std::vector<PoolRules>&, const std::vector<Column<Time>>&, std::uint64_t, Loading, Time, Time, Time,
                    std::size_t>(),
           "entry_rooms"_a.noconvert(), "entry_keys"_a.noconvert().none(), "entry_is_first"_a.noconvert().none(), "keys"_a, "lookups"_a, "room_lookups"_a, "room_nodes"_a, "room_is_of_node"_a,
           "room_pools"_a, "pools"_a, "clears"_a, "first_counted"_a, "loading"_a, "news_take"_a, "slice_origin"_a, "slice_width"_a, "slices"_a)
      .def(nb::init<Column<Id>, std::optional<Column<Id>>, std::optional<Column<Id>>, std::size_t, const std::vector<full::RoomRules>&,
                    const std::vector<PoolRules>&, const std::vector<full::Per>&, const std::vector<Column<Time>>&, const std::vector<Column<Time>>&,
                    std::size_t, std::size_t, bool, Column<std::int64_t>, std::size_t, std::size_t, std::uint64_t, Loading, Time, Time, Time, std::size_t>(),
           "entry_rooms"_a.noconvert(), "entry_keys"_a.noconvert().none(), "entry_nodes"_a.noconvert().none(), "keys"_a, "rooms"_a, "pools"_a, "per"_a,
           "clears"_a, "expires"_a, "lookups"_a, "nodes"_a, "unnamed_node"_a, "last_rows"_a.noconvert(), "scopes_at_once"_a, "scope_slots"_a,
           "first_counted"_a, "loading"_a, "news_take"_a, "slice_origin"_a, "slice_width"_a, "slices"_a)
      .def("feed", &BoundReplay::feed, "batch"_a, "next_read"_a.noconvert() = nb::none())
      .def("close", &BoundReplay::close);
  bind_curve(m);
}

}  // namespace vestigo::bind
