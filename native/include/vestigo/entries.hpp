// vestigo/entries.hpp: the entries of all keys, followed by the hubs of their pools' rings.
#pragma once

#include <span>

#include "entry.hpp"
#include "large_pages.hpp"

namespace vestigo {

class Entries {
 public:
  // Of as many as there are, each in no pool.
  explicit Entries(std::size_t count) : keys_(static_cast<Id>(count)), entries_(count) {
    for (std::size_t id = 0; id < count; ++id) entries_[id].before = entries_[id].after = static_cast<Id>(id);
  }
  Entries(std::span<const Id> key_rooms, std::size_t hubs) : Entries(key_rooms.size() + hubs) {
    keys_ = static_cast<Id>(key_rooms.size());
    for (std::size_t key = 0; key < key_rooms.size(); ++key) entries_[key].room = static_cast<std::uint16_t>(key_rooms[key]);
  }

  Entry* data() { return entries_.data(); }
  const Entry* data() const { return entries_.data(); }
  Entry& operator[](Id id) { return entries_[static_cast<std::size_t>(id)]; }
  const Entry& operator[](Id id) const { return entries_[static_cast<std::size_t>(id)]; }
  Id id(const Entry& entry) const { return static_cast<Id>(&entry - entries_.data()); }
  Id keys() const { return keys_; }

 private:
  Id keys_;
  LargeVector<Entry> entries_;
};

}  // namespace vestigo
