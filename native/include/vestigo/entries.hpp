// vestigo/entries.hpp: the entries of all keys, followed by the hubs of their pools' rings.
#pragma once

#include <cstdlib>
#include <memory>
#include <new>
#include <span>

#ifdef __linux__
#include <sys/mman.h>
#endif

#include "entry.hpp"

namespace vestigo {

class Entries {
 public:
  Entries(std::span<const Id> key_rooms, std::size_t hubs)
      : keys_(static_cast<Id>(key_rooms.size())), entries_(allocate(key_rooms.size() + hubs)) {
    for (std::size_t key = 0; key < key_rooms.size(); ++key) {
      new (&entries_[key]) Entry;
      entries_[key].room = static_cast<std::uint16_t>(key_rooms[key]);
      entries_[key].before = entries_[key].after = static_cast<Id>(key);
    }
    for (std::size_t hub = 0; hub < hubs; ++hub) new (&entries_[key_rooms.size() + hub]) Entry;
  }

  Entry* data() { return entries_.get(); }
  const Entry* data() const { return entries_.get(); }
  Entry& operator[](Id id) { return entries_[static_cast<std::size_t>(id)]; }
  const Entry& operator[](Id id) const { return entries_[static_cast<std::size_t>(id)]; }
  Id id(const Entry& entry) const { return static_cast<Id>(&entry - entries_.get()); }
  Id keys() const { return keys_; }

  // Of as many as there are, each in no pool.
  explicit Entries(std::size_t count) : keys_(static_cast<Id>(count)), entries_(allocate(count)) {
    for (std::size_t id = 0; id < count; ++id) {
      new (&entries_[id]) Entry;
      entries_[id].before = entries_[id].after = static_cast<Id>(id);
    }
  }

 private:
  struct Free {
    void operator()(Entry* entries) const { std::free(entries); }
  };
  static constexpr std::size_t kPage = std::size_t{2} << 20;

  // Large pages where the system has them: entries are visited in no order, and small pages would cost
  // an address look-up for nearly each.
  static std::unique_ptr<Entry[], Free> allocate(std::size_t count) {
    const std::size_t bytes = (count * sizeof(Entry) + kPage - 1) / kPage * kPage;
    void* room = std::aligned_alloc(kPage, bytes);
    if (room == nullptr) throw std::bad_alloc();
#ifdef __linux__
    madvise(room, bytes, MADV_HUGEPAGE);
#endif
    return std::unique_ptr<Entry[], Free>(static_cast<Entry*>(room));
  }

  Id keys_;
  std::unique_ptr<Entry[], Free> entries_;
};

}  // namespace vestigo
