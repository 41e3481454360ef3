// vestigo/full/replay.hpp: the full replay, which knows every rule. docs/semantics.md, section 3.
//
// Plans that need only what vestigo/replay.hpp knows are replayed there, several times as fast.
// Here nothing is left out: nodes and scopes with entries of their own, expiry that acts when it is
// due, reloads that no reader waits for, shared calls, and different rules for keys of one look-up.
#pragma once

#include <algorithm>
#include <vector>

#include "../columns.hpp"
#include "../fetch.hpp"
#include "../shared_calls.hpp"
#include "holdings.hpp"

namespace vestigo::full {

template <class Seen = NoWitness>
class Replay {
 public:
  Replay(Setting setting, Slices slices) : held_(std::move(setting), std::move(slices)) {}

  void open(const Columns& columns) { stretches_ = columns.stretches; }

  // Replays the events [begin, end) of a batch.
  void feed(const Columns& columns, std::size_t begin, std::size_t end) {
    if (!begun_ && begin < end) {
      begun_ = true;
      held_.begin(columns.at[begin]);
    }
    const bool has_scopes = held_.setting.scopes_at_once > 0;
    for (std::size_t i = begin; i < end; ++i) {
      const Time now = columns.at[i];
      if (now >= slice_end_ || now >= held_.agenda.next_at()) catch_up(columns, now);
      fetch_ahead(columns, i, end);
      step(columns, i, now);
      if (has_scopes) end_scope(columns.scope[i], columns.row(i), now);
    }
  }

  // Does what falls due at or before `now`.
  void catch_up(const Columns&, Time now) {
    Agenda& agenda = held_.agenda;
    while (agenda.next_at() <= now) {
      close_slices(agenda.next_at());
      std::vector<bool> goes;
      const Due due = agenda.take([&](Id group) {
        goes.resize(held_.setting.groups.size());
        goes[index(group)] = true;
      });
      switch (due.kind) {
        case Kind::clear:
          held_.ledger.at_step(Step::clear, 0);
          held_.empty([&](Id group) { return goes[index(group)]; }, kNone, kCleared, kClears,
                      due.at);
          break;
        case Kind::collect:
          held_.ledger.at_step(Step::collect, held_.rank(due.what));
          held_.collect(due.what, due.at);
          break;
        case Kind::load:
          held_.ledger.at_step(Step::load, loads_[due.what].row);
          finish(due.what, due.at);
          break;
        case Kind::message:
          held_.ledger.at_step(Step::message, loads_[due.what].row);
          hear(loads_.take(due.what), due.at);
      }
    }
    close_slices(now);
  }

  void count_from(Time now) {
    held_.count_from(now);
    slice_end_ = held_.ledger.slice_end();
  }

  // The trace is over; its last event was at `now`. Nothing can be replayed after this.
  void close(Time now) { held_.close(now); }

  const Ledger& ledger() const { return held_.ledger; }
  Ledger& ledger() { return held_.ledger; }
  Seen& witness() { return held_.witness; }
  void log(std::span<const Id> keys) { held_.keys.log(keys); }

  // For tests, after every step.
  bool check() { return held_.check(); }

 private:
  static constexpr std::size_t kAhead = 12, kFarAhead = 9 * kBlock;  // events

  void close_slices(Time now) {
    while (now >= held_.ledger.slice_end()) held_.ledger.next_slice();
    slice_end_ = held_.ledger.slice_end();
  }

  // Fetches the memory that later events touch.
  [[gnu::always_inline]] void fetch_ahead(const Columns& columns, std::size_t i, std::size_t end) {
    if (i + kFarAhead >= end) return;
    if (i % kBlock == 0) fetch_columns(columns, i + kFarAhead);
    held_.fetch_places(columns.key[i + 2 * kAhead]);
    held_.fetch(columns.key[i + kAhead]);
  }

  void step(const Columns& columns, std::size_t i, Time now) {
    const std::uint8_t mark = columns.mark[i];
    const Id node = columns.node[i];
    held_.ledger.at_step(Step::row, columns.row(i));
    switch (mark & kOp) {
      case kClear: return clear(columns.value[i], node, now);
      case kRestart: return restart(node, now);
      case kNothing: return;
    }
    const Id entry = columns.key[i];
    const GroupRules& group = held_.group_of(entry);
    const Id compartment = held_.here.of(group.pool, node, columns.scope[i]);
    const Id slot = compartment == kNone ? kNone : held_.here.slot(entry, compartment);
    if ((mark & kOp) == kTakenOut) return take_out(group, slot, now);
    if (held_.setting.spares && slot != kNone)
      reach(slot, now + ((mark & kOp) == kWrite ? held_.setting.news_take : columns.cost[i]));
    if (columns.next_read != nullptr && slot != kNone && !group.pinned)
      held_.here.at(compartment).policy->coming(slot, columns.next_read[i]);
    if ((mark & kOp) == kWrite || (mark & kOp) == kElsewhere)
      return write(columns, i, group, slot, now);
    if (slot == kNone) return;
    if ((mark & kOp) == kPreload) return preload(columns, i, group, slot, now);
    read(columns, i, group, slot, (mark & kForced) || group.drop_first, now);
  }

  // Reads

  void read(const Columns& columns, std::size_t i, const GroupRules& group, Id slot, bool forced,
            Time now) {
    const Entry& entry = held_.here.entries[slot];
    if (is_null(columns.stretch[i])) ++held_.tally(group).counts[kNullsRead];
    const bool serves = !forced && entry.held() && now - group.serve_stale < entry.dies_at;
    if (serves && !group.hides(entry.stretch)) return hit(columns, i, group, slot, now);
    if (is_loading(slot) && group.overlap == Overlap::join && !forced)
      return join(columns, i, group, slot, now);
    miss(columns, i, group, slot, forced, now);
  }

  void hit(const Columns& columns, std::size_t i, const GroupRules& group, Id id, Time now) {
    Entry& entry = held_.here.entries[id];
    const Slot& slot = at(id);
    Tally& own = held_.tally(group);
    const Bytes size = entry.bytes - group.entry_overhead;
    ++own.counts[kHits];
    own.counts[kBytesHit] += size;
    const Time took = hit_time(group.hit_cost, group.hit_cost_per_kib, size);
    held_.ledger.took(own, took);
    held_.ledger.answer(own, now - entry.loaded_at);
    const bool null = is_null(entry.stretch);
    if (null) ++own.counts[kNullsHit];
    Time stale_age = kNoAge;
    if (columns.is_stale(entry.stretch, i)) {
      if (null) ++own.counts[kFalseNulls];
      stale_age = now - stretches_.end(entry.stretch);
      held_.ledger.stale_hit(own, stale_age);
    }
    held_.witness.hit(held_.who(id), i, took, now - entry.loaded_at, stale_age, null, now);
    const bool live = entry.live(now);
    if (live) held_.use(group, id, now);
    entry.idle_since = now;
    if (!group.pinned) held_.here.at(slot.compartment).policy->hit(id, now);
    if ((live && now < slot.reload_at) || is_loading(id)) return;
    count_background(group, columns.cost[i], now);
    held_.witness.reload(held_.who(id), i, columns.cost[i], now);
    begin(columns, i, group, id, now);
  }

  void join(const Columns& columns, std::size_t i, const GroupRules& group, Id slot, Time now) {
    const Load& first = loads_[at(slot).first_load];
    Tally& own = held_.tally(group);
    ++own.counts[kJoined];
    own.counts[kBytesMissed] += columns.size[i];
    const Time rest = first.ends_at - now;
    const bool stale = columns.is_stale(first.stretch, i);
    held_.ledger.took(own, rest);
    if (stale) ++own.counts[kJoinedStale];
    held_.witness.join(held_.who(slot), i, rest,
                       stale ? now - stretches_.end(first.stretch) : kNoAge, is_null(first.stretch),
                       now);
  }

  void miss(const Columns& columns, std::size_t i, const GroupRules& group, Id id, bool forced,
            Time now) {
    const Entry& entry = held_.here.entries[id];
    Tally& own = held_.tally(group);
    const Time cost = columns.cost[i];
    Cause why = entry.held() ? absence(group, id, now) : entry.absence(now);
    if (why == kFirst && held_.keys.loaded(at(id).key)) why = kKnownElsewhere;
    const Cause cause = miss_cause(forced, is_loading(id) && group.overlap == Overlap::repeat, why);
    held_.witness.miss(held_.who(id), i, cause, cost, is_null(columns.stretch[i]), now);
    if (!shares_call(columns.scope[i], group, id, cost, now)) {
      held_.ledger.load(own, cost, now);
      held_.witness.call(held_.who(id), cost);
    }
    ++own.counts[cause];
    own.counts[kBytesMissed] += columns.size[i];
    held_.ledger.took(own, cost);
    begin(columns, i, group, id, now);
  }

  // Why a held entry does not answer. An expired one that is touched leaves here.
  Cause absence(const GroupRules& group, Id slot, Time now) {
    if (!held_.here.entries[slot].live(now)) {
      const Cause cause = held_.first_expiry(group, slot);
      held_.leave(group, slot, cause, kExpirations, now);
      return cause;
    }
    if (group.drop_first) held_.leave(group, slot, kDropped, kDrops, now);
    return kNull;  // a blind null or a forced read has another cause
  }

  // Whether the load shares an origin call that its scope began.
  bool shares_call(Id scope, const GroupRules& group, Id slot, Time cost, Time now) {
    if (group.batch == 0 || scope < 0) return false;
    const auto more = batches_.share(SharedCalls::who(group.lookup, scope), now, group.batch, cost);
    if (!more) return false;
    ++held_.tally(group).counts[kBatched];
    held_.tally(group).origin_time += *more;
    held_.witness.share(held_.who(slot), *more);
    return true;
  }

  // Loads

  void count_background(const GroupRules& group, Time cost, Time now) {
    held_.ledger.load(held_.tally(group), cost, now);
    ++held_.tally(group).counts[kBackgroundLoads];
  }

  // Preloads a key. Preloads of one look-up, node and moment are one call.
  void preload(const Columns& columns, std::size_t i, const GroupRules& group, Id slot, Time now) {
    if (const auto more = preloads_.share(SharedCalls::who(group.lookup, columns.node[i]), now, 1,
                                          columns.cost[i])) {
      held_.tally(group).origin_time += *more;
      held_.witness.lengthen(held_.who(slot), *more);
    } else {
      count_background(group, columns.cost[i], now);
      held_.witness.reload(held_.who(slot), i, columns.cost[i], now);
    }
    begin(columns, i, group, slot, now);
  }

  void begin(const Columns& columns, std::size_t i, const GroupRules& group, Id slot, Time now) {
    const Load load = coming(columns, i, slot, now);
    held_.keys.load(at(slot).key);
    if (load.cost == 0 || !held_.setting.timed) {
      held_.store(group, load, now);
    } else {
      held_.agenda.add(load.ends_at, Kind::load, loads_.begin(load, at(slot)));
    }
  }

  // The value that an event's load, or its write, brings into a slot.
  Load coming(const Columns& columns, std::size_t i, Id slot, Time now) const {
    const Time cost = columns.cost[i];
    return {.ends_at = now + cost,
            .loaded_at = now,
            .cost = cost,
            .size = columns.size[i],
            .row = columns.row(i),
            .slot = slot,
            .stretch = columns.stretch[i]};
  }

  void finish(Id place, Time now) {
    const Load load = loads_.take(place);
    if (load.slot == kNone) return;
    loads_.unlist(load, at(load.slot));
    const GroupRules& group = held_.group_at(load.slot);
    if (held_.store(group, load, now) && load.raced) ++held_.tally(group).counts[kRaced];
  }

  // Changes

  void write(const Columns& columns, std::size_t i, const GroupRules& group, Id slot, Time now) {
    const Load written = coming(columns, i, slot, now);
    if (slot != kNone) {
      const WriteDoes does = write_does(group, written.stretch);
      if (does == WriteDoes::drop) drop(group, slot, now);
      if (does == WriteDoes::put && held_.store(group, written, now, Came::written) &&
          group.reloads) {
        count_background(group, written.cost, now);
        held_.witness.reload(held_.who(slot), i, written.cost, now);
      }
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
        held_.agenda.add(now + group.tell_delay, Kind::message, loads_.put(message));
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
  void reach(Id slot, Time at) {
    if (reach_.empty()) reach_.assign(held_.here.slots.size(), kGone);
    Time& last = reach_[index(slot)];
    last = std::max(last, at);
  }

  void restart(Id node, Time now) {
    std::vector<Id> given_up;
    for (std::size_t pool = 0; pool < held_.setting.pools.size(); ++pool) {
      held_.here.each(pool, node, [&](Id compartment) {
        loads_.each_slot([&](Id slot) {
          if (at(slot).compartment == compartment && loads_.give_up(at(slot)))
            given_up.push_back(slot);
        });
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
      for (Id slot = held_.here.at(compartment).first_slot; slot != kNone; slot = at(slot).sibling)
        loads_.give_up(at(slot));
      held_.free(compartment, now);
    });
    for (std::size_t lookup = 0; batches_.size() > 0 && lookup < held_.setting.lookups; ++lookup)
      batches_.forget(SharedCalls::who(static_cast<Id>(lookup), scope));
  }

  Slot& at(Id slot) { return held_.here.slot_at(slot); }
  bool is_loading(Id slot) { return at(slot).first_load != kNone; }

  Holdings<Seen> held_;
  Stretches stretches_;
  Loads loads_;
  SharedCalls batches_, preloads_;
  std::vector<Time> reach_;  // for each slot, if clears spare some
  Time slice_end_ = kNever;
  bool begun_ = false;
};

}  // namespace vestigo::full
