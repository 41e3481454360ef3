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
#include "changing.hpp"

namespace vestigo::full {

template <class Seen = NoWitness>
class Replay : Changing<Seen> {
  using Base = Changing<Seen>;
  using Base::at, Base::begin_load, Base::call_in_background, Base::calls_, Base::clear;
  using Base::end_scope, Base::finish, Base::hear, Base::held_;
  using Base::is_loading, Base::loads_, Base::preload, Base::reach, Base::restart;
  using Base::take_out, Base::write;

 public:
  Replay(Setting setting, Slices slices) : Base(std::move(setting), std::move(slices)) {}

  void open(const Columns& columns) {
    stretches_ = columns.stretches;
    if (held_.setting.timed) held_.agenda.planned.open(columns.ends);
  }

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
      const Due due = agenda.take(
          [&](Id group) {
            goes.resize(held_.setting.groups.size());
            goes[index(group)] = true;
          },
          [&](Id load) { return loads_[load].row; });
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
    const bool has_ends = held_.setting.timed && columns.ends.place != nullptr;
    if (i % kBlock == 0) {
      fetch_columns(columns, i + kFarAhead);
      __builtin_prefetch(&columns.stretch[i + kFarAhead]);
      __builtin_prefetch(&columns.node[i + kFarAhead]);
      if (has_ends) held_.agenda.planned.fetch(columns.ends.place + i + kFarAhead);
    }
    if (has_ends) held_.agenda.planned.fetch_place(columns.ends.place[i + 2 * kAhead]);
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
    if (knows_failure(group, slot, now) && !forced)
      return serve_or_fail(columns, i, group, slot, 0, now);
    ask(columns, i, group, slot, forced, now);
  }

  void hit(const Columns& columns, std::size_t i, const GroupRules& group, Id id, Time now) {
    const bool live = held_.here.entries[id].live(now);
    if (live) held_.use(group, id, now);
    give(columns, i, group, id, 0, now);
    if ((live && now < at(id).reload_at) || is_loading(id) || knows_failure(group, id, now)) return;
    begin_load(columns, i, group, id, call_in_background(columns, i, group, id, now), now);
  }

  // Answers a read with an entry, `after` it has waited so long.
  void give(const Columns& columns, std::size_t i, const GroupRules& group, Id id, Time after,
            Time now) {
    Entry& entry = held_.here.entries[id];
    Tally& own = held_.tally(group);
    const Bytes size = entry.bytes - group.entry_overhead;
    ++own.counts[kHits];
    own.counts[kBytesHit] += size;
    const Time took = after + hit_time(group.hit_cost, group.hit_cost_per_kib, size);
    count_time(group, took);
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
    entry.idle_since = now;
    if (!group.pinned) held_.here.at(at(id).compartment).policy->hit(id, now);
  }

  // A read gets nothing from the origin, and knows that `after` so long. If there is an entry that
  // the rules give in that case, it is answered with that.
  void serve_or_fail(const Columns& columns, std::size_t i, const GroupRules& group, Id slot,
                     Time after, Time now) {
    if (!serves_on_failure(group, slot, now, after)) return fail(group, slot, i, after, now);
    ++held_.tally(group).counts[kServedOnFailure];
    give(columns, i, group, slot, after, now);
  }

  void fail(const GroupRules& group, Id slot, std::size_t i, Time after, Time now) {
    const Time took = after > 0 ? after : group.hit_cost;
    ++held_.tally(group).counts[kFailed];
    held_.ledger.took(held_.tally(group), took);
    held_.witness.fail(held_.who(slot), i, took, now);
  }

  bool serves_on_failure(const GroupRules& group, Id slot, Time now, Time after) {
    const Entry& entry = held_.here.entries[slot];
    return group.serve_on_failure > 0 && entry.held() && !group.hides(entry.stretch) &&
           !entry.live(now) && now + after - group.serve_on_failure < entry.dies_at;
  }

  bool knows_failure(const GroupRules& group, Id slot, Time now) const {
    return group.keep_failures > 0 && held_.failures.has(slot, now);
  }

  // Counts how long a read took that was answered.
  void count_time(const GroupRules& group, Time took) {
    Tally& own = held_.tally(group);
    held_.ledger.took(own, took);
    if (calls_.is_slow(group, took)) ++own.counts[kSlowReads];
  }

  void join(const Columns& columns, std::size_t i, const GroupRules& group, Id slot, Time now) {
    const Load& first = loads_[at(slot).first_load];
    const Time rest = first.ends_at - now;
    if (first.fails || rest > calls_.give_up(group))
      return serve_or_fail(columns, i, group, slot, std::min(rest, calls_.give_up(group)), now);
    Tally& own = held_.tally(group);
    ++own.counts[kJoined];
    own.counts[kBytesMissed] += columns.size[i];
    const bool stale = columns.is_stale(first.stretch, i);
    count_time(group, rest);
    if (stale) ++own.counts[kJoinedStale];
    held_.witness.join(held_.who(slot), i, rest,
                       stale ? now - stretches_.end(first.stretch) : kNoAge, is_null(first.stretch),
                       now);
  }

  // A read loads its key, in a call of its own or in one that it shares. It is a miss if it gets an
  // answer.
  void ask(const Columns& columns, std::size_t i, const GroupRules& group, Id slot, bool forced,
           Time now) {
    const CallOfLoad asked =
        calls_.ask(group, group.lookup, columns.scope[i], columns.cost[i], now);
    const Time took = asked.call.ends - now;
    const bool is_miss = !asked.call.fails && took <= calls_.give_up(group);
    const Cause cause = is_miss || group.drop_first ? why_missed(group, slot, forced, now) : kFirst;
    if (is_miss) {
      held_.witness.miss(held_.who(slot), i, cause, took, asked.call.begins - now,
                         is_null(columns.stretch[i]), now);
    } else if (forced) {
      fail(group, slot, i, std::min(took, calls_.give_up(group)), now);
    } else {
      serve_or_fail(columns, i, group, slot, std::min(took, calls_.give_up(group)), now);
    }
    Tally& own = held_.tally(group);
    calls_.count(held_.ledger, own, group, asked, is_miss, now);
    if (asked.shares) {
      held_.witness.share(held_.who(slot), asked.more, is_miss);
    } else {
      held_.witness.call(held_.who(slot), asked.call.takes(), is_miss);
    }
    if (is_miss) {
      ++own.counts[cause];
      own.counts[kBytesMissed] += columns.size[i];
      count_time(group, took);
    }
    begin_load(columns, i, group, slot, asked.call, now);
  }

  Cause why_missed(const GroupRules& group, Id slot, bool forced, Time now) {
    const Entry& entry = held_.here.entries[slot];
    Cause why = entry.held() ? absence(group, slot, now) : entry.absence(now);
    if (why == kFirst && held_.keys.loaded(at(slot).key)) why = kKnownElsewhere;
    return miss_cause(forced, is_loading(slot) && group.overlap == Overlap::repeat, why);
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

  Stretches stretches_;
  Time slice_end_ = kNever;
  bool begun_ = false;
};

}  // namespace vestigo::full
