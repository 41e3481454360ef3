// vestigo/policy/room.hpp: what a policy works with: the entries it orders, the notes it keeps, its
// share of the room.
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "../entry.hpp"
#include "../large_pages.hpp"
#include "../rules.hpp"

namespace vestigo::policy {

// What a policy remembers of a key, held or not. Each policy decides what the fields mean.
struct Note {
  Id before = kNone, after = kNone;  // neighbours in a ring of notes
  std::uint32_t count = 0;
  std::uint32_t place = 0;
  std::int64_t number = 0;
  std::uint32_t generation = 0;  // notes of an earlier generation count for nothing
  std::uint8_t where = 0;
};
static_assert(sizeof(Note) == 32);

constexpr Id kSentinels = 3;  // how many nodes, of entries and of notes, a policy has for its rings

// The notes of all keys, followed by the sentinels of all pools. For LRU-K, also the last
// references of each key.
class Notes {
 public:
  Notes(std::span<const PoolRules> pools, std::size_t keys, std::size_t sentinels) {
    for (const PoolRules& pool : pools) {
      if (keeps_notes(pool)) note(keys + sentinels);
      if (!pool.evicts_by(Eviction::LruK)) continue;
      const auto depth = static_cast<std::size_t>(pool.eviction_numbers[0]);
      if (depth > depth_) references_.assign(keys * (depth_ = depth), kGone);
    }
  }

  static bool keeps_notes(const PoolRules& pool) {
    constexpr std::array keeps{
#define VESTIGO_POLICY(name, Class, keeps_notes) keeps_notes,
#include "../policies.def"
    };
    return keeps[pool.eviction];
  }
  Note* data() { return notes_.data(); }
  const Note* data() const { return notes_.data(); }
  Time* references() { return references_.data(); }
  std::size_t depth() const { return depth_; }

 private:
  void note(std::size_t count) {
    notes_.reserve(count);
    for (auto id = static_cast<Id>(notes_.size()); notes_.size() < count; ++id)
      notes_.push_back({.before = id, .after = id});
  }

  LargeVector<Note> notes_;
  LargeVector<Time> references_;
  std::size_t depth_ = 0;
};

// The room of one pool. When the pool is emptied, its policy begins anew in the next generation.
struct Room {
  Entry* entries;
  Note* notes;
  Time* all_references;
  std::size_t depth;
  Id sentinel;  // the first of its kSentinels
  std::uint32_t generation = 1;
  std::uint8_t eviction;  // the policy's place in policies.def
  bool by_bytes;  // whether the policy divides the limit of entries; if not, it divides that of
                  // bytes
  std::int64_t capacity;  // that limit
  PolicyNumbers numbers;  // the numbers that follow from the policy's parameters

  Room(const PoolRules& rules, Entry* entries_of_all, Notes& notes_of_all, Id first_sentinel)
      : entries(entries_of_all),
        notes(notes_of_all.data()),
        all_references(notes_of_all.references()),
        depth(notes_of_all.depth()),
        sentinel(first_sentinel),
        eviction(rules.eviction),
        by_bytes(rules.max_entries == kNever && rules.max_bytes != kNever),
        capacity(std::min(by_bytes ? rules.max_bytes : rules.max_entries, kMostBytes)),
        numbers(rules.eviction_numbers) {}

  std::int64_t weight(Bytes bytes) const { return by_bytes ? bytes : 1; }
  std::int64_t weight_of(Id id) const { return weight(entries[id].bytes); }

  Note& note(Id id) const {
    Note& note = notes[id];
    if (note.generation != generation) [[unlikely]]
      note = {.before = id, .after = id, .generation = generation};
    return note;
  }
  // Fetches what will be needed soon. A policy that has given up its oldest entry knows which ones
  // come next.
  void fetch_note(Id id) const { __builtin_prefetch(&notes[id], 1); }
  void fetch(Id id) const {
    __builtin_prefetch(&entries[id], 1);
    fetch_note(id);
  }
  Time* references(Id id) const { return all_references + index(id) * depth; }
};

}  // namespace vestigo::policy
