// bind/witness.hpp: what a witness saw, as NumPy arrays.
#pragma once

#include <vector>

#include "array.hpp"
#include "vestigo/witness/witness.hpp"

namespace vestigo::bind {

// A column made of one attribute of each row.
template <class T, class Rows, class Of>
Array<T> column(const Rows& rows, Of of) {
  std::vector<T> values;
  values.reserve(rows.size());
  for (const auto& row : rows) values.push_back(of(row));
  return array(std::move(values));
}

// The same as a view into the rows, which `owner` keeps alive.
template <class T>
Array<T> view(const LargeVector<KeyRow>& rows, const T& of_first, const nb::capsule& owner) {
  static_assert(sizeof(KeyRow) % sizeof(T) == 0);
  return {const_cast<T*>(&of_first), {rows.size()}, owner, {sizeof(KeyRow) / sizeof(T)}};
}

// Columns by name (engine/native/watched.py): those that all keys have, and those that only some
// have, with these keys.
inline nb::dict arrays(KeyRows&& keys) {
  nb::dict all, some;
  nb::list common_misses, rare_misses;
  if (keys.counting()) {
    auto* const kept = new LargeVector<KeyRow>(keys.take());
    const nb::capsule owner(kept,
                            [](void* p) noexcept { delete static_cast<LargeVector<KeyRow>*>(p); });
    const KeyRow& first = kept->front();
    all["hits"] = view(*kept, first.hits, owner);
    all["evictions"] = view(*kept, first.evictions, owner);
    all["kept"] = view(*kept, first.kept, owner);
    all["kept_bytes"] = view(*kept, first.kept_bytes, owner);
    all["origin_time_ns"] = view(*kept, first.origin_time, owner);
    all["held_byte_ns"] = view(*kept, first.held, owner);
    all["idle_byte_ns"] = view(*kept, first.idle, owner);
    for (const std::uint32_t& misses : first.misses)
      common_misses.append(view(*kept, misses, owner));
  }
  std::vector<std::pair<Id, RareRow>> rare;
  keys.each_rare([&](Id key, const RareRow& row) { rare.emplace_back(key, row); });
  using Rare = std::pair<Id, RareRow>;
  some["key"] = column<Id>(rare, [](const Rare& row) { return row.first; });
  some["joined"] = column<std::uint32_t>(rare, [](const Rare& row) { return row.second.joined; });
  some["failed"] = column<std::uint32_t>(rare, [](const Rare& row) { return row.second.failed; });
  some["stale_hits"] =
      column<std::uint32_t>(rare, [](const Rare& row) { return row.second.stale_hits; });
  some["false_nulls"] =
      column<std::uint32_t>(rare, [](const Rare& row) { return row.second.false_nulls; });
  some["more_loads"] =
      column<std::int32_t>(rare, [](const Rare& row) { return row.second.more_loads; });
  some["oldest_stale_ns"] =
      column<Time>(rare, [](const Rare& row) { return row.second.oldest_stale; });
  some["held_high"] =
      column<std::int64_t>(rare, [](const Rare& row) { return row.second.held >> 64; });
  some["held_low"] = column<std::uint64_t>(
      rare, [](const Rare& row) { return static_cast<std::uint64_t>(row.second.held); });
  some["idle_high"] =
      column<std::int64_t>(rare, [](const Rare& row) { return row.second.idle >> 64; });
  some["idle_low"] = column<std::uint64_t>(
      rare, [](const Rare& row) { return static_cast<std::uint64_t>(row.second.idle); });
  for (std::size_t cause = 0; cause < kCauses - kCommonCauses; ++cause) {
    rare_misses.append(
        column<std::uint32_t>(rare, [cause](const Rare& row) { return row.second.misses[cause]; }));
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
#define VESTIGO_HAPPENING_FIELD(type, name) \
  columns[#name] = column<type>(happenings, [](const Happening& one) { return one.name; });
#include "vestigo/witness/happenings.def"
  return columns;
}

}  // namespace vestigo::bind
