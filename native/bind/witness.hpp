// bind/witness.hpp: what a witness saw, as NumPy arrays.
#pragma once

#include <vector>

#include "array.hpp"
#include "vestigo/witness/witness.hpp"

namespace vestigo::bind {

// A column of what is counted of each key.
template <class T, class Of>
Array<T> column(const KeyRows& keys, Of of) {
  std::vector<T> values;
  values.reserve(keys.all().size());
  for (const KeyRow& row : keys.all()) values.push_back(static_cast<T>(of(row)));
  return array(std::move(values));
}

// One of numbers of 128 bits: rows of two, the low half first.
template <class Of>
Rows<std::uint64_t> sums(const KeyRows& keys, Of of) {
  std::vector<std::uint64_t> halves;
  halves.reserve(keys.all().size() * 2);
  for (const KeyRow& row : keys.all()) {
    halves.push_back(static_cast<std::uint64_t>(of(row)));
    halves.push_back(static_cast<std::uint64_t>(of(row) >> 64));
  }
  return rows(std::move(halves), 2);
}

// Columns by name.
inline nb::dict arrays(const KeyRows& keys) {
  nb::dict result;
#define VESTIGO_COLUMN(name) result[#name] = column<std::uint32_t>(keys, [](const KeyRow& row) { return row.name; });
  VESTIGO_KEY_COUNTS(VESTIGO_COLUMN)
#undef VESTIGO_COLUMN
#define VESTIGO_CAUSE(place, name) result[#name] = column<std::uint32_t>(keys, [](const KeyRow& row) { return row.misses[place]; });
#include "vestigo/tally.def"
#define VESTIGO_COLUMN(name) result[#name] = column<std::int64_t>(keys, [](const KeyRow& row) { return row.name; });
  VESTIGO_KEY_AMOUNTS(VESTIGO_COLUMN)
#undef VESTIGO_COLUMN
#define VESTIGO_COLUMN(name) result[#name] = sums(keys, [](const KeyRow& row) { return row.name; });
  VESTIGO_KEY_SUMS(VESTIGO_COLUMN)
#undef VESTIGO_COLUMN
  return result;
}

// A row each, with the fields of happenings.def.
inline Rows<std::int64_t> arrays(const std::vector<Happening>& happenings) {
  constexpr std::size_t kFields = sizeof(Happening) / sizeof(std::int64_t);
  std::vector<std::int64_t> values;
  values.reserve(happenings.size() * kFields);
  for (const Happening& one : happenings) {
#define VESTIGO_HAPPENING_FIELD(name) values.push_back(one.name);
#include "vestigo/witness/happenings.def"
  }
  return rows(std::move(values), kFields);
}

}  // namespace vestigo::bind
