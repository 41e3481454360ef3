// vestigo/loads.hpp: loads under way that an entry has no room to record.
//
// When a load would end is known before the replay begins: Columns::ends lists it for every read,
// in order. So there is no queue of loads. The replay walks that list beside the events, and asks
// which of the reads began a load. While a key is not held, its entry records the load that began
// first (Entry::load, with its stretch). This file has the rarer ones: a second load of a key, or a
// load of a key that is held. The loads of one key form a ring, newest first.
#pragma once

#include <utility>
#include <vector>

#include "columns.hpp"
#include "delayed.hpp"
#include "entry.hpp"
#include "id_map.hpp"

namespace vestigo {

struct PlainLoad {
  Time loaded_at = 0;  // when it began
  Bytes size = 0;
  Id name = kNone;   // its place in Columns::ends, or its name in Delayed
  Id stretch = 0;    // the stretch of the truth when it began, which it will store
  Id older = kNone;  // ring of the key's loads; `newer` of the newest is the oldest
  Id newer = kNone;
  bool raced = false;  // a drop arrived since it began
};

class PlainLoads {
 public:
  // A load begins, the newest of its key.
  void begin(Id key, const PlainLoad& begun) {
    const Id slot = take_slot(begun);
    PlainLoad& load = slots_[index(slot)];
    const Id newest = newest_.find(key);
    newest_.set(key, slot);
    if (newest == kNone) return;
    load.older = newest;
    load.newer = std::exchange(slots_[index(newest)].newer, slot);
  }

  // Records a load that an entry has recorded so far. It is the oldest of its key.
  void take_over(Id key, Entry& entry) {
    const Id slot = take_slot({.loaded_at = entry.loaded_at,
                               .size = entry.bytes,
                               .name = entry.load,
                               .stretch = entry.stretch,
                               .raced = entry.drop_missed()});
    PlainLoad& load = slots_[index(slot)];
    entry.forget_load();
    entry.set(Entry::kMoreLoads);
    const Id newest = newest_.find(key);
    if (newest == kNone) return newest_.set(key, slot);
    load.newer = std::exchange(slots_[index(newest)].newer, slot);
    slots_[index(load.newer)].older = slot;
  }

  // Ends a load.
  PlainLoad finish(Id key, Id name, Entry& entry) {
    const Id slot = slot_of_.find(name), newest = newest_.find(key);
    const PlainLoad load = slots_[index(slot)];
    slot_of_.erase(name);
    free_.push_back(slot);
    if (slot != newest) {
      slots_[index(load.newer)].older = load.older;
      slots_[index(load.older == kNone ? newest : load.older)].newer = load.newer;
    } else if (load.older != kNone) {
      slots_[index(load.older)].newer = load.newer;
      newest_.set(key, load.older);
    } else {
      newest_.erase(key);
      entry.unset(Entry::kMoreLoads);
    }
    return load;
  }

  // The load that began first among those of a key.
  const PlainLoad& oldest(Id key) const {
    return slots_[index(slots_[index(newest_.find(key))].newer)];
  }

  // A drop marks the loads that began since the last drop. These come first in the ring, so every
  // load is touched at most once.
  void mark_raced(Id key) {
    for (Id slot = newest_.find(key); slot != kNone && !slots_[index(slot)].raced;
         slot = slots_[index(slot)].older)
      slots_[index(slot)].raced = true;
  }

  // The next batch begins. The name of each load that it knows becomes its place there.
  void rename(const Ends& ends) {
    std::vector<Id> slots;
    slot_of_.each([&slots](Id, Id slot) { slots.push_back(slot); });
    slot_of_.clear();
    for (const Id slot : slots) {
      PlainLoad& load = slots_[index(slot)];
      if (!Delayed::is_one(load.name))
        load.name = ends.carried[index(load.name - ends.carried_from)];
      slot_of_.set(load.name, slot);
    }
  }

  // True if the key's ring is whole: for tests, after every step.
  bool check(Id key, const Entry& entry) const {
    const Id newest = newest_.find(key);
    if (newest == kNone) return !entry.more_loads();
    Id last = kNone;
    for (Id slot = newest; slot != kNone; slot = slots_[index(slot)].older) {
      const PlainLoad& load = slots_[index(slot)];
      if (slot_of_.find(load.name) != slot) return false;
      if (last != kNone && (load.newer != last || load.loaded_at > slots_[index(last)].loaded_at))
        return false;
      last = slot;
    }
    return entry.more_loads() && slots_[index(newest)].newer == last;
  }

 private:
  Id take_slot(const PlainLoad& load) {
    if (free_.empty()) {
      free_.push_back(static_cast<Id>(slots_.size()));
      slots_.emplace_back();
    }
    const Id slot = free_.back();
    free_.pop_back();
    slots_[index(slot)] = load;
    slots_[index(slot)].newer = slot;
    slot_of_.set(load.name, slot);
    return slot;
  }

  std::vector<PlainLoad> slots_;
  std::vector<Id> free_;
  IdMap slot_of_;  // by name
  IdMap newest_;   // by key
};

}  // namespace vestigo
