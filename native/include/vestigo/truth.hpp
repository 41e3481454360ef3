// vestigo/truth.hpp: what each row tells of its key's value at the origin. docs/semantics.md,
// "Truth".
//
// It depends only on the trace, so it is worked out once and serves every replay. The time between
// two changes of a key is a stretch. Stretches are numbered as they begin.
#pragma once

#include <algorithm>
#include <unordered_set>
#include <utility>
#include <vector>

#include "columns.hpp"

namespace vestigo {

// A row as recorded. If the row does not say, `version` is kNone and `found` is negative.
struct Row {
  Time at = 0;
  std::uint8_t mark = kRead;  // kRead or kWrite
  Id key = 0;
  Id version = kNone;
  std::int8_t found = -1;
};

class Truth {
 public:
  // `unnamed_writes`: whether any write of the trace names no version. Only then must seen versions
  // be remembered.
  Truth(std::size_t keys, bool unnamed_writes) : keys_(keys), remember_(unnamed_writes) {}

  // What a row tells: the value of its key from this row on, and its stretch.
  struct Told {
    Id value, stretch;
    bool names = false;  // the row only names the current value
  };

  Told see(const Row& row) {
    Key& key = keys_[index(row.key)];
    const Id now = row.mark == kWrite ? written(key, row) : shown(key, row);
    const bool names =
        row.mark == kRead && now >= 0 && key.value <= kFirstUnnamed && !(key.written && seen(row));
    if (names) {
      names_.emplace_back(key.value, now);
      values_[Stretches::place(key.stretch)] = now;
    } else if (now != key.value) {
      if (key.value != kUnseen) ends_[Stretches::place(key.stretch)] = row.at;
      key.stretch = begin(now);
    }
    if (now != key.value) key = {now, key.stretch, row.mark == kWrite};
    if (remember_ && now >= 0 && row.version >= 0) seen_.insert(pair(row));
    return {now, key.stretch, names};
  }

  // Fetches what a row of the key will touch.
  void fetch(Id key) const { __builtin_prefetch(&keys_[index(key)], 1); }

  // The stretches of all rows so far. Valid until the next row.
  Stretches stretches() const { return {ends_.data(), values_.data()}; }
  std::size_t count() const { return ends_.size(); }

  // Pairs of an unnamed value and the version that it turned out to be, in the order of the rows.
  // Each pair is told once.
  std::vector<std::pair<Id, Id>> take_names() { return std::exchange(names_, {}); }

  // How many more values without a version, and stretches, there is room for.
  std::size_t left() const {
    return std::min(static_cast<std::size_t>(std::int64_t{next_unnamed_} - INT32_MIN),
                    static_cast<std::size_t>(INT32_MAX) - ends_.size());
  }

 private:
  struct Key {
    Id value = kUnseen;
    Id stretch = 0;
    bool written = false;  // whether the unnamed value came with a write, not with a read
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

  Id begin(Id value) {
    const auto number = static_cast<Id>(ends_.size());
    ends_.push_back(kNever);
    values_.push_back(value);
    return value == kNullValue ? ~number : number;
  }

  static std::uint64_t pair(const Row& row) {
    return static_cast<std::uint64_t>(row.key) << 32 | static_cast<std::uint32_t>(row.version);
  }
  bool seen(const Row& row) const { return remember_ && seen_.contains(pair(row)); }

  std::vector<Key> keys_;
  std::unordered_set<std::uint64_t> seen_;
  std::vector<std::pair<Id, Id>> names_;
  std::vector<Time> ends_;
  std::vector<Id> values_;
  Id next_unnamed_ = kFirstUnnamed;
  bool remember_;
};

}  // namespace vestigo
