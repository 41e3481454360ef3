// vestigo/full/setting.hpp: what a full replay is asked for.
#pragma once

#include <cstdint>
#include <vector>

#include "../rules.hpp"

namespace vestigo::full {

enum class Per : std::uint8_t { all, node, scope };
enum class TellNodes : std::uint8_t { nothing, drop, copy };
enum class Collect : std::uint8_t { touch, prompt, every };

// Of the keys of one look-up for which the same holds: what Rules have, and what takes more than the plain replay.
struct RoomRules : Rules {
  Id lookup = 0;
  Id pool = 0;
  std::vector<Time> expires_at{};// fixed times, ascending
  bool pinned = false;
  bool passes = true;            // the conditions on the key hold
  Bytes least_size = 0, most_size = kNever;  // of a value that is kept
  Time least_cost = 0, most_cost = kNever;
  std::int64_t refresh_of = 0, refresh_to = 0;  // the share of a lifetime after which a hit reloads; 0 of 0: never
  Time serve_stale = 0;
  Collect collect = Collect::touch;
  Time collect_every = kNever;
  bool reloads = false;          // a value that is replaced takes an origin call
  TellNodes tell_nodes = TellNodes::nothing;
  Time tell_delay = 0;
  Time batch = 0;                // misses of one scope within this share a call; 0: none do
  Time hit_cost_per_kib = 0;
};

struct Setting {
  std::vector<Id> entry_rooms{};            // of every key; or, where nodes have caches of their own, of every key on a node
  std::vector<Id> entry_keys{};             // whose entry it is,
  std::vector<Id> entry_nodes{};            // and where: 0 for rows that name no node, or for all rows
  std::size_t keys = 0;
  std::vector<RoomRules> rooms{};
  std::vector<std::vector<Time>> clears{};  // by room, ascending
  std::vector<PoolRules> pools{};
  std::vector<Per> per{};                 // by pool
  std::size_t lookups = 1;
  std::size_t nodes = 0;                  // named ones
  bool unnamed_node = false;              // some read names none, so that there is one more
  std::vector<std::int64_t> last_rows{};   // by scope, 0 being none: the number of its last row
  std::size_t scopes_at_once = 0;         // of those that have begun and are not over
  std::size_t scope_slots = 0;            // keys of such, at most
  bool timed = true;                      // loads take time; if not, each ends when it begins, whatever it costs
  bool spares = false;                    // a clear spares what a load under way, or news, could bring back
  Time news_take = 0;                     // how long these may be on their way
};

}  // namespace vestigo::full
