// vestigo/entries.hpp: the entries of all keys, followed by the sentinels of their pools' rings.
#pragma once

#include <span>

#include "entry.hpp"
#include "large_pages.hpp"

namespace vestigo {

class Entries {
 public:
  // Makes as many entries as there are, none of them in a pool.
  explicit Entries(std::size_t count) : keys_(static_cast<Id>(count)) {
    entries_.reserve(count);
    while (entries_.size() < count) add(0);
  }
  // `is_first` says whether the key is loaded there first. If it is empty, this holds for all
  // entries.
  Entries(std::span<const Id> groups, std::span<const std::uint8_t> is_first, std::size_t sentinels)
      : keys_(static_cast<Id>(groups.size())) {
    entries_.reserve(groups.size() + sentinels);
    for (std::size_t i = 0; i < groups.size(); ++i)
      add(static_cast<std::uint16_t>(groups[i]),
          is_first.empty() || is_first[i] ? kFirst : kKnownElsewhere);
    while (sentinels-- > 0) add(0);
  }

  Entry* data() { return entries_.data(); }
  const Entry* data() const { return entries_.data(); }
  Entry& operator[](Id id) { return entries_[index(id)]; }
  const Entry& operator[](Id id) const { return entries_[index(id)]; }
  Id id(const Entry& entry) const { return static_cast<Id>(&entry - entries_.data()); }
  Id keys() const { return keys_; }

 private:
  void add(std::uint16_t group, Cause cause = kFirst) {
    const auto id = static_cast<Id>(entries_.size());
    entries_.push_back({.before = id, .after = id, .group = group, .cause = cause});
  }

  Id keys_;
  LargeVector<Entry> entries_;
};

}  // namespace vestigo
