// vestigo/full/loading.hpp: how loads begin and end, and the origin calls that they make.
// docs/semantics.md, section 3, "An origin with a capacity".
#pragma once

#include "../columns.hpp"
#include "../origin_calls.hpp"
#include "holdings.hpp"
#include "loads.hpp"

namespace vestigo::full {

template <class Seen>
class Loading {
 protected:
  Loading(Setting setting, Slices slices)
      : held_(std::move(setting), std::move(slices)), calls_(held_.setting.origins) {}

  // An origin call that no reader waits for.
  Call call_in_background(const Columns& columns, std::size_t i, const GroupRules& group, Id slot,
                          Time now) {
    const Call own = calls_.call(group, columns.cost[i], now);
    count_background(group, slot, i, own, now);
    return own;
  }

  void count_background(const GroupRules& group, Id slot, std::size_t i, const Call& call,
                        Time now) {
    calls_.count(held_.ledger, held_.tally(group), group, call, now);
    ++held_.tally(group).counts[kBackgroundLoads];
    held_.witness.reload(held_.who(slot), i, call.takes(), call.begins - now, now);
  }

  // Preloads a key. Preloads of one look-up, node and moment are one call.
  void preload(const Columns& columns, std::size_t i, const GroupRules& group, Id slot, Time now) {
    const CallOfLoad asked =
        calls_.preload(group, group.lookup, columns.node[i], columns.cost[i], now);
    if (asked.shares) {
      held_.tally(group).sums[kOriginTime] += asked.more;
      held_.witness.lengthen(held_.who(slot), asked.more);
    } else {
      count_background(group, slot, i, asked.call, now);
    }
    begin_load(columns, i, group, slot, asked.call, now);
  }

  void begin_load(const Columns& columns, std::size_t i, const GroupRules& group, Id slot,
                  const Call& call, Time now) {
    Load load = coming(columns, i, slot, call.ends, now);
    load.fails = call.fails;
    if (!load.fails) held_.keys.load(at(slot).key);
    if (load.ends_at == now || !held_.setting.timed) {
      held_.store(group, load, now);
    } else if (is_planned(columns, i, load)) {
      held_.agenda.planned.begin(columns.ends.place[i], loads_.begin(load, at(slot)));
    } else {
      held_.agenda.add(load.ends_at, Kind::load, load.row, loads_.begin(load, at(slot)));
    }
  }

  // Whether a load ends when the batch says that the load of its event does.
  static bool is_planned(const Columns& columns, std::size_t i, const Load& load) {
    return (columns.mark[i] & kOp) == kRead && load.ends_at - load.loaded_at == load.cost;
  }

  // The value that an event's load, or its write, brings into a slot.
  Load coming(const Columns& columns, std::size_t i, Id slot, Time ends_at, Time now) const {
    return {.ends_at = ends_at,
            .loaded_at = now,
            .cost = columns.cost[i],
            .size = columns.size[i],
            .row = columns.row(i),
            .slot = slot,
            .stretch = columns.stretch[i]};
  }

  void finish(Id place, Time now) {
    const Load load = loads_.take(place);
    if (load.slot == kNone) return;
    fetch_next();
    loads_.unlist(load, at(load.slot));
    const GroupRules& group = held_.group_at(load.slot);
    if (load.fails) {
      if (group.keep_failures > 0) held_.failures.keep(load.slot, now + group.keep_failures);
      held_.witness.load_failed(held_.who(load.slot), now);
    } else if (held_.store(group, load, now) && load.raced) {
      ++held_.tally(group).counts[kRaced];
    }
  }

  // Fetches the memory of the load that ends next.
  void fetch_next() const {
    const Id next = held_.agenda.planned.next();
    if (next != kNone && loads_[next].slot != kNone) held_.here.fetch(loads_[next].slot);
  }

  Slot& at(Id slot) { return held_.here.slot_at(slot); }
  bool is_loading(Id slot) { return at(slot).first_load != kNone; }

  Holdings<Seen> held_;
  Loads loads_;
  OriginCalls calls_;
};

}  // namespace vestigo::full
