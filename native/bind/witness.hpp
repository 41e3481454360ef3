// bind/witness.hpp: what a witness saw, as NumPy arrays.
#pragma once

#include <vector>

#include "array.hpp"
#include "vestigo/witness/witness.hpp"

namespace vestigo::bind {

// A column of rows: an attribute of each.
template <class T, class Rows, class Of>
Array<T> column(const Rows& rows, Of of) {
  std::vector<T> values;
  values.reserve(rows.size());
  for (const auto& row : rows) values.push_back(of(row));
  return array(std::move(values));
}

// Columns by name (engine/native/watched.py): of all keys, and what only some have, with the keys that it is of.
inline nb::dict arrays(const KeyRows& keys) {
  nb::dict all, some;
  const auto& rows = keys.all();
  all["hits"] = column<std::uint32_t>(rows, [](const KeyRow& row) { return row.hits; });
  all["evictions"] = column<std::uint32_t>(rows, [](const KeyRow& row) { return row.evictions; });
  all["kept"] = column<std::uint32_t>(rows, [](const KeyRow& row) { return row.kept; });
  all["kept_bytes"] = column<Bytes>(rows, [](const KeyRow& row) { return row.kept_bytes; });
  all["origin_time_ns"] = column<Time>(rows, [](const KeyRow& row) { return row.origin_time; });
  all["held_byte_ns"] = column<std::int64_t>(rows, [](const KeyRow& row) { return row.held; });
  all["idle_byte_ns"] = column<std::int64_t>(rows, [](const KeyRow& row) { return row.idle; });
  std::vector<std::pair<Id, RareRow>> rare;
  keys.each_rare([&](Id key, const RareRow& row) { rare.emplace_back(key, row); });
  using Rare = std::pair<Id, RareRow>;
  some["key"] = column<Id>(rare, [](const Rare& row) { return row.first; });
  some["joined"] = column<std::uint32_t>(rare, [](const Rare& row) { return row.second.joined; });
  some["stale_hits"] = column<std::uint32_t>(rare, [](const Rare& row) { return row.second.stale_hits; });
  some["ghosts"] = column<std::uint32_t>(rare, [](const Rare& row) { return row.second.ghosts; });
  some["more_loads"] = column<std::int32_t>(rare, [](const Rare& row) { return row.second.more_loads; });
  some["oldest_stale_ns"] = column<Time>(rare, [](const Rare& row) { return row.second.oldest_stale; });
  some["held_high"] = column<std::int64_t>(rare, [](const Rare& row) { return row.second.held >> 64; });
  some["held_low"] = column<std::uint64_t>(rare, [](const Rare& row) { return static_cast<std::uint64_t>(row.second.held); });
  some["idle_high"] = column<std::int64_t>(rare, [](const Rare& row) { return row.second.idle >> 64; });
  some["idle_low"] = column<std::uint64_t>(rare, [](const Rare& row) { return static_cast<std::uint64_t>(row.second.idle); });
  nb::list common_misses, rare_misses;
  for (std::size_t cause = 0; cause < kCommonCauses; ++cause) {
    common_misses.append(column<std::uint32_t>(rows, [cause](const KeyRow& row) { return row.misses[cause]; }));
  }
  for (std::size_t cause = 0; cause < kCauses - kCommonCauses; ++cause) {
    rare_misses.append(column<std::uint32_t>(rare, [cause](const Rare& row) { return row.second.misses[cause]; }));
  }
  all["misses"] = common_misses;  // of the first causes
  some["misses"] = rare_misses;   // of the others
  nb::dict result;
  result["all"] = all;
  result["some"] = some;
  return result;
}

// By the names of happenings.def.
inline nb::dict arrays(const std::vector<Happening>& happenings) {
  nb::dict columns;
#define VESTIGO_HAPPENING_FIELD(type, name) columns[#name] = column<type>(happenings, [](const Happening& one) { return one.name; });
#include "vestigo/witness/happenings.def"
  return columns;
}

}  // namespace vestigo::bind
