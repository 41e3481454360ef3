// bind/settings.hpp: what a replay is asked for, as Python hands it over: NumPy columns, and the
// rules.
#pragma once

#include <nanobind/stl/optional.h>
#include <nanobind/stl/vector.h>

#include <algorithm>
#include <optional>
#include <vector>

#include "rules.hpp"
#include "vestigo/any_replay.hpp"

namespace vestigo::bind {

constexpr auto kMostIds = static_cast<std::size_t>(INT32_MAX);

// How an origin answers calls (see origin.hpp). Columns go together.
struct OriginAsked {
  std::size_t places = 0;
  std::vector<Time> down_begins, down_ends;
  std::vector<Time> pace_begins;
  std::vector<std::int64_t> pace_of, pace_to;
  Time fails_after = 1, give_up = kNever, slow = kNever;
};

// What every replay needs to know: the entries that can exist, and the rules of their groups and
// pools.
struct Asked {
  Column<Id> entry_groups;
  std::optional<Column<Id>>
      entry_keys;  // where nodes have caches of their own: the key of each entry
  std::optional<Column<std::uint8_t>>
      entry_is_first;  // whether no other entry of its key is loaded before it
  std::size_t keys = 1;
  std::vector<full::GroupRules> groups;
  std::vector<PoolRules> pools;
  std::vector<Column<Time>> clears;  // when each group is cleared by schedule, ascending
  std::vector<OriginAsked> origins;

  std::size_t entries() const { return entry_groups.size(); }
  std::span<const Id> keys_of_entries() const {
    return entry_keys ? view(*entry_keys) : std::span<const Id>{};
  }
};

// For the plain replay. A group is a whole look-up, or a look-up on one node.
struct PlainAsked : Asked {
  std::vector<Id> place_lookups, place_nodes, place_pools;
  std::vector<std::uint8_t> place_is_of_node;
  std::vector<std::size_t> place_pool_rules;  // the place in `pools` of each pool's rules
};

// For the replay of all rules there are.
struct FullAsked : Asked {
  std::optional<Column<Id>> entry_nodes;
  std::vector<Per> per;               // by pool
  std::vector<Column<Time>> expires;  // by group: fixed times
  std::size_t lookups = 1, nodes = 0;
  bool unnamed_node = false;
  Column<std::int64_t> last_rows;  // by scope, 0 being none
  std::size_t scopes_at_once = 0, scope_slots = 0;
};

// Where counting begins, how time is sliced, and how loads end.
struct Counting {
  std::int64_t first_counted = 0;  // the first row of the trace that counts, and its moment
  Time counts_from = 0;
  std::size_t blocks_in_slice = 0;  // of the course of a part; if it is 0, no course is kept
  Loading loading = Loading::timed;
  Time news_take = 0;
  Time slice_origin = 0, slice_width = 1'000'000'000;
  std::size_t slices = 1;
  std::size_t split = 0;  // if it is not 0, spans of time are told of the slices before this one
                          // together, and of the others together
};

// What the replay is to tell of single reads and keys.
struct WatchingAsked {
  bool reads = false, keys = false;
  std::optional<Column<Id>>
      chosen;  // the entries (in the full replay: keys) whose log is wanted, ascending
};

void bind_settings(nb::module_& m);  // settings.cpp

inline bool within(std::span<const Id> ids, std::size_t end) {
  return std::all_of(ids.begin(), ids.end(),
                     [end](Id id) { return id >= 0 && static_cast<std::size_t>(id) < end; });
}

// Each raises ValueError for arguments that do not fit together.
void check(const Asked& asked, std::size_t groups);
void check(const Counting& counting);
Watching checked(const WatchingAsked& asked, std::size_t rows);
std::vector<Served> checked_origins(const Asked& asked);
std::vector<std::vector<Time>> checked_moments(const std::vector<Column<Time>>& columns);
full::Setting checked_setting(const FullAsked& asked, const Counting& counting);

}  // namespace vestigo::bind
