// vestigo/truth.hpp: what each row tells of its key's value at the origin. docs/semantics.md, "Truth".
//
// It depends on the trace alone, so it is worked out once and serves every replay.
#pragma once

#include <unordered_set>
#include <utility>
#include <vector>

#include "columns.hpp"

namespace vestigo {

// A row as recorded: `version` is kNone and `found` negative where the row does not say.
struct Row {
  std::uint8_t mark = kRead;  // kRead or kWrite
  Id key = 0;
  Id version = kNone;
  std::int8_t found = -1;
};

class Truth {
 public:
  // `unnamed_writes`: whether any write of the trace names no version; only then must the versions
  // that were seen be remembered.
  Truth(std::size_t keys, bool unnamed_writes) : keys_(keys), remember_(unnamed_writes) {}

  // The value of the row's key from this row on. Adds kNames to `mark` where the row only names it.
  Id see(const Row& row, std::uint8_t& mark) {
    Key& key = keys_[static_cast<std::size_t>(row.key)];
    const Id now = row.mark == kWrite ? written(key, row) : shown(key, row);
    if (row.mark == kRead && now >= 0 && key.value <= kFirstUnnamed && !(key.written && seen(row))) {
      mark |= kNames;
      names_.emplace_back(key.value, now);
    }
    if (now != key.value) key = {now, row.mark == kWrite};
    if (remember_ && now >= 0 && row.version >= 0) seen_.insert(pair(row));
    return now;
  }

  // (unnamed value, the version it turned out to be), in the order of the rows; each is told once.
  std::vector<std::pair<Id, Id>> take_names() { return std::exchange(names_, {}); }

  // So many values without a version can still be told apart.
  std::size_t left() const { return static_cast<std::size_t>(std::int64_t{next_unnamed_} - INT32_MIN); }

 private:
  struct Key {
    Id value = kUnseen;
    bool written = false;  // an unnamed value came with a write, not with a read
  };

  Id written(const Key&, const Row& row) {
    if (row.found == 0) return kNullValue;
    return row.version >= 0 ? row.version : next_unnamed_--;
  }

  Id shown(const Key& key, const Row& row) {
    if (row.found == 0) return kNullValue;
    if (row.version >= 0) return row.version;
    const bool nothing_known = key.value == kUnseen || (key.value == kNullValue && row.found > 0);
    return nothing_known ? next_unnamed_-- : key.value;
  }

  static std::uint64_t pair(const Row& row) {
    return static_cast<std::uint64_t>(row.key) << 32 | static_cast<std::uint32_t>(row.version);
  }
  bool seen(const Row& row) const { return remember_ && seen_.contains(pair(row)); }

  std::vector<Key> keys_;
  std::unordered_set<std::uint64_t> seen_;
  std::vector<std::pair<Id, Id>> names_;
  Id next_unnamed_ = kFirstUnnamed;
  bool remember_;
};

}  // namespace vestigo
