// bind/settings.cpp: checks what a replay is asked for.
#include "settings.hpp"

#include "vestigo/full/compartments.hpp"

namespace vestigo::bind {
namespace {

constexpr Time kSecond = 1'000'000'000;
constexpr std::int64_t kMostPace = 1'000'000'000;  // times a cost, it fits in 128 bits

std::vector<Id> copied(std::span<const Id> ids) { return {ids.begin(), ids.end()}; }

std::vector<std::uint8_t> firsts(const Asked& asked) {
  if (!asked.entry_is_first) return {};
  return {asked.entry_is_first->data(), asked.entry_is_first->data() + asked.entries()};
}

bool are_moments(const std::vector<Time>& times) {
  return std::is_sorted(times.begin(), times.end()) &&
         (times.empty() ||
          (times.front() >= kEarliest - kLongestSpan && times.back() <= kLatest + kLongestSpan));
}

Served checked_origin(const OriginAsked& asked) {
  const std::size_t outages = asked.down_begins.size(), paces = asked.pace_begins.size();
  if (asked.down_ends.size() != outages || asked.pace_of.size() != paces ||
      asked.pace_to.size() != paces)
    refuse("an origin's columns differ in length");
  if (!are_moments(asked.down_begins) || !are_moments(asked.down_ends) ||
      !are_moments(asked.pace_begins))
    refuse("an origin's moments are out of order or range");
  if (asked.places > kMostIds || asked.fails_after < 1 || asked.fails_after > kLongestSpan ||
      asked.give_up < 1 || asked.give_up > kNever || asked.slow < 0 || asked.slow > kNever)
    refuse("an origin's limits are out of range");
  Served served{.places = asked.places,
                .down = {},
                .paces = {},
                .fails_after = asked.fails_after,
                .give_up = asked.give_up,
                .slow = asked.slow};
  for (std::size_t i = 0; i < outages; ++i) {
    if (asked.down_ends[i] <= asked.down_begins[i] ||
        (i > 0 && asked.down_begins[i] <= asked.down_ends[i - 1]))
      refuse("an origin's outages overlap");
    served.down.push_back({asked.down_begins[i], asked.down_ends[i]});
  }
  for (std::size_t i = 0; i < paces; ++i) {
    if (asked.pace_to[i] < 1 || asked.pace_of[i] < asked.pace_to[i] || asked.pace_of[i] > kMostPace)
      refuse("an origin's pace is out of range");
    served.paces.push_back({asked.pace_begins[i], asked.pace_of[i], asked.pace_to[i]});
  }
  return served;
}

// Columns are taken as they are, or refused.
template <class Owner, class Value>
void column(nb::class_<Owner>& made, const char* name, Value Owner::* member) {
  made.def_rw(name, member, nb::for_setter(nb::arg("column").noconvert().none()));
}

template <class Owner, class Base, class Value>
void column(nb::class_<Owner, Base>& made, const char* name, Value Owner::* member) {
  made.def_rw(name, member, nb::for_setter(nb::arg("column").noconvert().none()));
}

}  // namespace

void check(const Asked& asked, std::size_t groups) {
  if (groups < 1 || groups > 65'535) refuse("no groups of keys, or more than 65,535");
  for (const PoolRules& one : asked.pools) check(one);
  for (const full::GroupRules& one : asked.groups) check(one);
  if (asked.clears.size() != asked.groups.size() || asked.groups.empty())
    refuse("groups differ in number");
  const std::size_t entries = asked.entries();
  if (asked.keys < 1 || asked.keys >= kMostIds || entries < 1 || entries >= kMostIds)
    refuse("no keys, or more than 2^31");
  if (!within(view(asked.entry_groups), groups)) refuse("a key's group is out of range");
  const std::span<const Id> keys = asked.keys_of_entries();
  if (asked.entry_keys ? keys.size() != entries || !within(keys, asked.keys)
                       : entries != asked.keys)
    refuse("an entry's key is out of range");
  if (asked.entry_is_first && (asked.entry_is_first->size() != entries || !asked.entry_keys))
    refuse("columns differ in length");
}

void check(const Counting& counting) {
  if (counting.counts_from < kEarliest || counting.counts_from > kLatest)
    refuse("a time is out of range");
  if (counting.blocks_in_slice > 100'000) refuse("too many blocks in a slice");
  if (counting.news_take < 0 || counting.news_take > kLongestSpan)
    refuse("a span of time is out of range");
  const Time origin = counting.slice_origin, width = counting.slice_width;
  if (width < 1 || width > kLongestSpan || counting.slices < 1 || counting.slices > 10'000 ||
      origin < kEarliest - kLongestSpan || origin > kLatest || width % kSecond != 0 ||
      origin % kSecond != 0) {
    refuse("slices are out of range, or not of whole seconds");
  }
  if (counting.split >= counting.slices) refuse("slices are divided behind the last");
}

Watching checked(const WatchingAsked& asked, std::size_t rows) {
  Watching watching{.reads = asked.reads, .keys = asked.keys, .chosen = {}, .rows = rows};
  if (asked.chosen) watching.chosen = view(*asked.chosen);
  if (!within(watching.chosen, rows)) refuse("a key to watch is out of range");
  return watching;
}

std::vector<Served> checked_origins(const Asked& asked) {
  std::vector<Served> origins;
  for (const OriginAsked& one : asked.origins) origins.push_back(checked_origin(one));
  for (const full::GroupRules& group : asked.groups) {
    if (group.origin < kNone || group.origin >= static_cast<Id>(origins.size()))
      refuse("a group's origin is out of range");
  }
  return origins;
}

std::vector<std::vector<Time>> checked_moments(const std::vector<Column<Time>>& columns) {
  std::vector<std::vector<Time>> found;
  for (const Column<Time>& column : columns) {
    found.emplace_back(view(column).begin(), view(column).end());
    const auto& times = found.back();
    if (!std::is_sorted(times.begin(), times.end()) ||
        (!times.empty() && (times.front() < kEarliest || times.back() > kLatest))) {
      refuse("moments are out of order or range");
    }
  }
  return found;
}

full::Setting checked_setting(const FullAsked& asked, const Counting& counting) {
  const std::size_t groups = asked.groups.size(), scopes = asked.last_rows.size();
  check(asked, groups);
  check(counting);
  if (asked.per.size() != asked.pools.size() || asked.expires.size() != groups)
    refuse("groups or pools differ in number");
  if (asked.lookups < 1 || asked.lookups > groups || asked.nodes >= kMostIds ||
      asked.scope_slots >= kMostIds || asked.scopes_at_once >= kMostIds || scopes < 1) {
    refuse("look-ups, nodes or scopes are out of range");
  }
  const auto& nodes = asked.entry_nodes;
  if (nodes && (nodes->size() != asked.entries() || !within(view(*nodes), asked.nodes + 1)))
    refuse("an entry's node is out of range");
  full::Setting setting{
      .entry_groups = copied(view(asked.entry_groups)),
      .entry_keys = copied(asked.keys_of_entries()),
      .entry_is_first = firsts(asked),
      .entry_nodes = nodes ? copied(view(*nodes)) : std::vector<Id>{},
      .keys = asked.keys,
      .groups = asked.groups,
      .clears = checked_moments(asked.clears),
      .pools = asked.pools,
      .per = asked.per,
      .origins = checked_origins(asked),
      .lookups = asked.lookups,
      .nodes = asked.nodes,
      .unnamed_node = asked.unnamed_node,
      .last_rows = {view(asked.last_rows).begin(), view(asked.last_rows).end()},
      .scopes_at_once = asked.scopes_at_once,
      .scope_slots = asked.scope_slots,
      .timed = counting.loading == Loading::timed || counting.loading == Loading::served,
      .spares = counting.loading == Loading::spared,
      .news_take = counting.news_take};
  const auto expires_at = checked_moments(asked.expires);
  for (std::size_t place = 0; place < groups; ++place) {
    full::GroupRules& group = setting.groups[place];
    if (group.lookup < 0 || static_cast<std::size_t>(group.lookup) >= asked.lookups ||
        group.pool < 0 || static_cast<std::size_t>(group.pool) >= asked.pools.size()) {
      refuse("a group's look-up or pool is out of range");
    }
    if (group.tell_nodes != TellNodes::nothing && asked.per[index(group.pool)] != Per::node)
      refuse("there are no nodes to tell");
    group.expires_at = expires_at[place];
  }
  // The product of pools and nodes fits in 64 bits, because each is below 2^31.
  if (full::Compartments::count_slots(setting) +
          policy::kSentinels * full::Compartments::count_compartments(setting) >=
      kMostIds) {
    refuse("more than 2^31 keys of nodes and scopes");
  }
  return setting;
}

void bind_settings(nb::module_& m) {
  nb::class_<Asked> asked(m, "Asked");
  column(asked, "entry_groups", &Asked::entry_groups);
  column(asked, "entry_keys", &Asked::entry_keys);
  column(asked, "entry_is_first", &Asked::entry_is_first);
  asked.def_rw("keys", &Asked::keys)
      .def_rw("groups", &Asked::groups)
      .def_rw("pools", &Asked::pools)
      .def_rw("clears", &Asked::clears)
      .def_rw("origins", &Asked::origins);

  nb::class_<PlainAsked, Asked> plain(m, "PlainAsked");
  plain.def(nb::init<>());
  plain.def_rw("place_lookups", &PlainAsked::place_lookups)
      .def_rw("place_nodes", &PlainAsked::place_nodes)
      .def_rw("place_pools", &PlainAsked::place_pools)
      .def_rw("place_is_of_node", &PlainAsked::place_is_of_node)
      .def_rw("place_pool_rules", &PlainAsked::place_pool_rules);

  nb::class_<OriginAsked>(m, "Origin")
      .def(nb::init<>())
      .def_rw("places", &OriginAsked::places)
      .def_rw("down_begins", &OriginAsked::down_begins)
      .def_rw("down_ends", &OriginAsked::down_ends)
      .def_rw("pace_begins", &OriginAsked::pace_begins)
      .def_rw("pace_of", &OriginAsked::pace_of)
      .def_rw("pace_to", &OriginAsked::pace_to)
      .def_rw("fails_after", &OriginAsked::fails_after)
      .def_rw("give_up", &OriginAsked::give_up)
      .def_rw("slow", &OriginAsked::slow);

  nb::class_<FullAsked, Asked> full(m, "FullAsked");
  full.def(nb::init<>());
  column(full, "entry_nodes", &FullAsked::entry_nodes);
  column(full, "last_rows", &FullAsked::last_rows);
  full.def_rw("per", &FullAsked::per)
      .def_rw("expires", &FullAsked::expires)
      .def_rw("lookups", &FullAsked::lookups)
      .def_rw("nodes", &FullAsked::nodes)
      .def_rw("unnamed_node", &FullAsked::unnamed_node)
      .def_rw("scopes_at_once", &FullAsked::scopes_at_once)
      .def_rw("scope_slots", &FullAsked::scope_slots);

  nb::class_<WatchingAsked> watching(m, "Watching");
  watching.def(nb::init<>())
      .def_rw("reads", &WatchingAsked::reads)
      .def_rw("keys", &WatchingAsked::keys);
  column(watching, "chosen", &WatchingAsked::chosen);

  nb::class_<Counting>(m, "Counting")
      .def(nb::init<>())
      .def_rw("first_counted", &Counting::first_counted)
      .def_rw("counts_from", &Counting::counts_from)
      .def_rw("blocks_in_slice", &Counting::blocks_in_slice)
      .def_rw("loading", &Counting::loading)
      .def_rw("news_take", &Counting::news_take)
      .def_rw("slice_origin", &Counting::slice_origin)
      .def_rw("slice_width", &Counting::slice_width)
      .def_rw("slices", &Counting::slices)
      .def_rw("split", &Counting::split);
}

}  // namespace vestigo::bind
