// vestigo/delayed.hpp: loads that end later than their batch knows, because an origin lets their
// calls wait or is slower.
#pragma once

#include <cstdint>
#include <stdexcept>
#include <utility>
#include <vector>

#include "min_heap.hpp"
#include "numbers.hpp"

namespace vestigo {

struct DelayedLoad {
  Time ends_at = 0;
  Time more = 0;         // by how much it takes longer than its cost
  std::int64_t row = 0;  // the event that began it
  Id key = kNone;        // kNone if it was given up
};

// Their names are below kNone, so that no other load has one of them. They stay the same from batch
// to batch.
class Delayed {
 public:
  static bool is_one(Id name) { return name < kNone; }
  const DelayedLoad& operator[](Id name) const { return loads_[slot(name)]; }

  Id begin(const DelayedLoad& load) {
    if (free_.empty()) {
      if (loads_.size() >= kMost) throw std::length_error("more than 2^31 loads are under way");
      free_.push_back(kNone - 1 - static_cast<Id>(loads_.size()));
      loads_.emplace_back();
    }
    const Id name = free_.back();
    free_.pop_back();
    loads_[slot(name)] = load;
    coming_.push({load.ends_at, load.row, name});
    return name;
  }

  // When the next one ends, which event began it, and its name.
  Time next_at() const { return coming_.empty() ? kNever : coming_.first().at; }
  std::int64_t next_row() const { return coming_.first().row; }
  Id next() const { return coming_.first().name; }

  // Takes the load that ends next.
  DelayedLoad take_next() {
    const Id name = coming_.take_first().name;
    free_.push_back(name);
    return std::exchange(loads_[slot(name)], {});
  }

  // Gives up the loads for which `goes(name, key)` is true.
  template <class Goes>
  void abandon(Goes goes) {
    for (std::size_t i = 0; i < loads_.size(); ++i) {
      const Id name = kNone - 1 - static_cast<Id>(i);
      if (loads_[i].key != kNone && goes(name, loads_[i].key)) loads_[i].key = kNone;
    }
  }

 private:
  static constexpr std::size_t kMost = INT32_MAX - 1;

  // Of loads that end at the same moment, the one that began first ends first.
  struct Coming {
    Time at;
    std::int64_t row;
    Id name;

    bool operator<(const Coming& other) const {
      return at < other.at || (at == other.at && row < other.row);
    }
  };

  static std::size_t slot(Id name) { return index(kNone - 1 - name); }

  std::vector<DelayedLoad> loads_;
  std::vector<Id> free_;
  MinHeap<Coming> coming_;
};

}  // namespace vestigo
