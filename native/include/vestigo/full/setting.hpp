// vestigo/full/setting.hpp: what a full replay is asked for.
#pragma once

#include <cstdint>
#include <vector>

#include "../rules.hpp"

namespace vestigo::full {

// What the full replay alone knows.
struct FullRules {
#define VESTIGO_FULL_RULE(type, name, usual, bounds) type name = usual;
#include "../rules.def"
};

// Of the keys of one look-up for which the same holds: all rules there are. What every event asks for lies close together.
struct GroupRules : Rules, FullRules, ValueRules {
  std::vector<Time> expires_at{};  // fixed times, ascending
};

struct Setting {
  std::vector<Id> entry_groups{};           // of every key; or, where nodes have caches of their own, of every key on a node
  std::vector<Id> entry_keys{};             // whose entry it is,
  std::vector<Id> entry_nodes{};            // and where: 0 for rows that name no node, or for all rows
  std::size_t keys = 0;
  std::vector<GroupRules> groups{};
  std::vector<std::vector<Time>> clears{};  // by group, ascending
  std::vector<PoolRules> pools{};
  std::vector<Per> per{};                 // by pool
  std::size_t lookups = 1;
  std::size_t nodes = 0;                  // named ones
  bool unnamed_node = false;              // some read names none, so that there is one more
  std::vector<std::int64_t> last_rows{};  // by scope, 0 being none: the number of its last row
  std::size_t scopes_at_once = 0;         // of those that have begun and are not over
  std::size_t scope_slots = 0;            // keys of such, at most
  bool timed = true;                      // loads take time; if not, each ends when it begins, whatever it costs
  bool spares = false;                    // a clear spares what a load under way, or news, could bring back
  Time news_take = 0;                     // how long these may be on their way
};

}  // namespace vestigo::full
