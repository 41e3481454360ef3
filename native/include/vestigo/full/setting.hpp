// vestigo/full/setting.hpp: what a full replay is asked for.
#pragma once

#include <cstdint>
#include <vector>

#include "../origin.hpp"
#include "../rules.hpp"

namespace vestigo::full {

// The rules that only the full replay knows.
struct FullRules {
#define VESTIGO_FULL_RULE(type, name, usual, bounds) type name = usual;
#include "../rules.def"
};

// All rules of a group: keys of one look-up that have the same rules. What every event needs lies
// close together.
struct GroupRules : Rules, FullRules, ValueRules {
  std::vector<Time> expires_at{};  // fixed times, ascending
};

struct Setting {
  std::vector<Id> entry_groups{};  // for every key, or for every key on a node where nodes have
                                   // caches of their own
  std::vector<Id> entry_keys{};    // the key of each entry
  std::vector<std::uint8_t> entry_is_first{};  // for a part on one node: whether no other entry
                                               // of its key is loaded before it
  std::vector<Id>
      entry_nodes{};  // the node of each entry: 0 for rows that name no node, or for all rows
  std::size_t keys = 0;
  std::vector<GroupRules> groups{};
  std::vector<std::vector<Time>> clears{};  // by group, ascending
  std::vector<PoolRules> pools{};
  std::vector<Per> per{};  // by pool
  std::vector<Served> origins{};
  std::size_t lookups = 1;
  std::size_t nodes = 0;      // named ones
  bool unnamed_node = false;  // some read names no node, so there is one more
  std::vector<std::int64_t>
      last_rows{};  // for each scope, the number of its last row; 0 is for rows that name none
  std::size_t scopes_at_once = 0;  // the most scopes under way at once
  std::size_t scope_slots = 0;     // the most keys in these
  bool timed =
      true;  // whether loads take time; if not, each ends when it begins, whatever it costs
  bool spares = false;  // whether a clear spares what a load under way, or news, could bring back
  Time news_take = 0;   // how long news can be on their way
};

}  // namespace vestigo::full
