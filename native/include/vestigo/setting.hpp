// vestigo/setting.hpp: what a plain replay is asked for.
#pragma once

#include <span>
#include <vector>

#include "origin.hpp"
#include "rules.hpp"

namespace vestigo {

// What a replay is asked for. A group is a look-up, or a look-up on a node where each node has its
// own cache.
struct PlainSetting {
  std::span<const Id> entry_groups;  // for every key, or for every key on a node where nodes have
                                     // caches of their own
  std::span<const Id> entry_keys{};  // the key of each entry, where nodes have caches of their own
  std::span<const std::uint8_t>
      entry_is_first{};  // whether no other entry of its key is loaded before it
  std::size_t keys = 0;
  std::span<const Rules> lookups;
  std::span<const ValueRules> value_rules{};  // for each look-up, if some have such rules
  std::span<const Id> group_lookups;
  std::span<const Id> group_nodes;  // kNone for rows that name none, or for all rows
  std::span<const std::uint8_t> group_is_of_node;
  std::span<const Id> group_pools;
  std::span<const PoolRules> pools;
  std::span<const Served> origins{};          // that value rules name; none is ever away
  std::span<const std::vector<Time>> clears;  // when each look-up is cleared by schedule, ascending
  Time news_take =
      0;  // how long a write can be on its way to other nodes, if clears spare such writes
};

}  // namespace vestigo
