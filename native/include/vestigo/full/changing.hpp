// vestigo/full/changing.hpp: what writes do, on their own node and on the others, and bad moments.
#pragma once

#include <algorithm>
#include <vector>

#include "loading.hpp"

namespace vestigo::full {

template <class Seen>
class Changing : protected Loading<Seen> {
 protected:
  using Base = Loading<Seen>;
  using Base::at, Base::call_in_background, Base::coming, Base::held_, Base::loads_;

  Changing(Setting setting, Slices slices) : Base(std::move(setting), std::move(slices)) {}

  void write(const Columns& columns, std::size_t i, const GroupRules& group, Id slot, Time now) {
    const Load written = coming(columns, i, slot, now, now);
    if (slot != kNone) {
      const WriteDoes does = write_does(group, written.stretch);
      if (does == WriteDoes::drop) drop(group, slot, now);
      if (does == WriteDoes::put && held_.store(group, written, now, Came::written) &&
          group.reloads)
        call_in_background(columns, i, group, slot, now);
    }
    if (group.tell_nodes != TellNodes::nothing)
      tell(group, columns.key[i], slot == kNone, written, now);
  }

  void drop(const GroupRules& group, Id slot, Time now) {
    loads_.mark_raced(at(slot));
    if (held_.here.entries[slot].held()) held_.leave(group, slot, kDropped, kDrops, now);
  }

  // The program takes an entry out of its own cache. Ceilings keep it: a load under way could bring
  // it back.
  void take_out(const GroupRules& group, Id slot, Time now) {
    if (slot != kNone && !held_.setting.spares && held_.here.entries[slot].held())
      held_.leave(group, slot, kDropped, kDrops, now);
  }

  // Tells the other nodes of a write, at once or later. Where the key has no entry, nothing is
  // held, or will be.
  void tell(const GroupRules& group, Id entry, bool came_from_none, const Load& written, Time now) {
    for (const Id slot : held_.here.hearing(entry, came_from_none)) {
      if (!held_.here.at(at(slot).compartment).policy) continue;
      Load message = written;
      message.slot = slot;
      if (group.tell_delay == 0) {
        hear(message, now);
      } else {
        held_.agenda.add(now + group.tell_delay, Kind::message, 0, loads_.put(message));
      }
    }
  }

  void hear(const Load& message, Time now) {
    const GroupRules& group = held_.group_at(message.slot);
    if (group.tell_nodes == TellNodes::copy && group.keeps(message.stretch)) {
      held_.store(group, message, now, Came::copied);
    } else {
      drop(group, message.slot, now);
    }
  }

  // Bad moments

  void clear(Id lookup, Id node, Time now) {
    const auto goes = [&](Id group) {
      return lookup == kNone || held_.setting.groups[index(group)].lookup == lookup;
    };
    if (held_.setting.spares) {
      held_.empty_but(
          goes,
          [&](Id slot) {
            return slot < static_cast<Id>(reach_.size()) && reach_[index(slot)] > now;
          },
          node, now);
    } else {
      held_.empty(goes, node, kCleared, kClears, now);
    }
  }

  // The latest moment at which what an event of the slot brings is there.
  void reach(Id slot, Time until) {
    if (reach_.empty()) reach_.assign(held_.here.slots.size(), kGone);
    Time& last = reach_[index(slot)];
    last = std::max(last, until);
  }

  void restart(Id node, Time now) {
    std::vector<Id> given_up;
    for (std::size_t pool = 0; pool < held_.setting.pools.size(); ++pool) {
      held_.here.each(pool, node, [&](Id compartment) {
        loads_.each_slot([&](Id slot) {
          if (at(slot).compartment == compartment && loads_.give_up(at(slot)))
            given_up.push_back(slot);
        });
        held_.failures.forget_if([&](Id slot) { return at(slot).compartment == compartment; });
      });
    }
    held_.empty([&](Id group) { return !held_.setting.groups[index(group)].survives_restart; },
                node, kRestarted, kLost, now);
    for (const Id slot : given_up) {
      if (!held_.here.entries[slot].held()) held_.here.entries[slot].miss_out(kRestarted);
    }
  }

  // Frees what a scope held, after the last row of the scope.
  void end_scope(Id scope, std::int64_t row, Time now) {
    if (held_.setting.last_rows[index(scope) + 1] != row) return;
    held_.ledger.at_step(Step::scope_end, row);
    held_.here.close_scope(scope, [&](Id compartment) {
      for (Id slot = held_.here.at(compartment).first_slot; slot != kNone;
           slot = at(slot).sibling) {
        loads_.give_up(at(slot));
        held_.failures.forget(slot);
      }
      held_.free(compartment, now);
    });
  }

 private:
  std::vector<Time> reach_;  // for each slot, if clears spare some
};

}  // namespace vestigo::full
