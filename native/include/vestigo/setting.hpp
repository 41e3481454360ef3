// vestigo/setting.hpp: what a plain replay is asked for.
#pragma once

#include <span>
#include <vector>

#include "rules.hpp"

namespace vestigo {

// What a replay is asked for. A group is a look-up's, or where each node has a cache of its own, a look-up's on a node.
struct Setting {
  std::span<const Id> entry_groups;  // of every key; or, where nodes have caches of their own, of every key on a node
  std::span<const Id> entry_keys{};  // whose entry it is, where nodes have caches of their own
  std::span<const std::uint8_t> entry_is_first{};  // whether no other entry of its key is loaded before it
  std::size_t keys = 0;
  std::span<const Rules> lookups;
  std::span<const ValueRules> value_rules{};  // by look-up, if some have any
  std::span<const Id> group_lookups;
  std::span<const Id> group_nodes;  // kNone: of rows that name none, or of all rows
  std::span<const std::uint8_t> group_is_of_node;
  std::span<const Id> group_pools;
  std::span<const PoolRules> pools;
  std::span<const std::vector<Time>> clears;  // when each look-up is cleared by schedule, ascending
  Time news_take = 0;  // how long a write may be on its way to other nodes, where clears spare what is
};

}  // namespace vestigo
