// vestigo/full/replay.hpp: the replay of all rules there are. docs/semantics.md, section 3.
//
// Plans that ask for no more than vestigo/replay.hpp knows are replayed there, several times as fast. Here nothing is left
// out: nodes and scopes with entries of their own, expiry that is acted on when it is due, reloads that no reader waits for, calls that are
// shared, and keys of one look-up under different rules.
#pragma once

#include <algorithm>
#include <vector>

#include "../columns.hpp"
#include "../draw.hpp"
#include "../ledger.hpp"
#include "agenda.hpp"
#include "calls.hpp"
#include "compartments.hpp"
#include "keys.hpp"

namespace vestigo::full {

// A load under way, or a value or a drop on its way to another node.
struct Load {
  Time ends_at = 0, loaded_at = 0, cost = 0;
  Bytes size = 0;
  Id slot = kNone;  // kNone: it was given up
  Id value = kNone;
  Id before = kNone, after = kNone;  // of the same slot
  bool raced = false;                // a drop arrived since it began
};

class Replay {
 public:
  Replay(Setting setting, Slices slices)
      : setting_(std::move(setting)),
        ledger_(setting_.lookups, std::move(slices)),
        keys_(setting_.key_rooms),
        here_(setting_),
        agenda_(setting_.clears, here_.slots.size()) {}

  void open(const Columns&) {}

  // Replays the events [begin, end) of a batch.
  void feed(const Columns& columns, std::size_t begin, std::size_t end) {
    if (rows_ == 0 && begin < end) start_ = columns.at[begin];
    for (std::size_t i = begin; i < end; ++i) {
      const Time now = columns.at[i];
      if (now >= next_due_) catch_up(columns, now);
      fetch_ahead(columns, i, end);
      step(columns, i, now);
      if (setting_.scopes_at_once > 0) end_scope(columns.scope[i], now);
      ++rows_;
    }
  }

  // What falls due at or before `now` happens first.
  void catch_up(const Columns&, Time now) {
    while (agenda_.next_at() <= now) {
      turn(agenda_.next_at());
      std::vector<bool> goes;
      const Due due = agenda_.take([&](Id room) {
        goes.resize(setting_.rooms.size());
        goes[static_cast<std::size_t>(room)] = true;
      });
      switch (due.kind) {
        case Kind::clear:
          empty([&](Id room) { return goes[static_cast<std::size_t>(room)]; }, kNone, kCleared, kClears, due.at);
          break;
        case Kind::collect:
          collect(due.what, due.at);
          break;
        case Kind::load:
          finish(due.what, due.at);
          break;
        case Kind::message:
          hear(loads_[static_cast<std::size_t>(due.what)], due.at);
          free_loads_.push_back(due.what);
      }
    }
    turn(now);
    next_due_ = std::min(agenda_.next_at(), ledger_.slice_end());
  }

  void count_from(Time now) {
    ledger_.count_from(now);
    next_due_ = std::min(agenda_.next_at(), ledger_.slice_end());
  }

  // The trace is over; its last event was at `now`. Nothing can be replayed after this.
  void close(Time now) {
    for (Compartment& one : here_.all) {
      for (Id slot = one.first_held; slot != kNone; slot = here_.slot_at(slot).after) {
        const Entry& entry = here_.entries[slot];
        ledger_.idle(tally(room_of(here_.slot_at(slot).key)), entry.bytes, entry.idle_since, now);
      }
    }
    ledger_.close(now);
  }

  const Ledger& ledger() const { return ledger_; }

  // True if entries, compartments, sizes and loads agree: for tests, after every step.
  bool check();

 private:
  static constexpr std::size_t kAhead = 12;

  const RoomRules& room_of(Id key) const { return setting_.rooms[static_cast<std::size_t>(keys_[key].room)]; }
  Tally& tally(const RoomRules& room) { return ledger_.tally(static_cast<std::size_t>(room.lookup)); }

  void turn(Time now) {
    while (now >= ledger_.slice_end()) ledger_.next_slice();
  }

  void schedule(Time at, Kind kind, Id what) {
    agenda_.add(at, kind, what);
    next_due_ = std::min(next_due_, at);
  }

  // The memory that later events touch.
  [[gnu::always_inline]] void fetch_ahead(const Columns& columns, std::size_t i, std::size_t end) {
    if (i + 2 * kAhead >= end) return;
    keys_.fetch(columns.key[i + 2 * kAhead]);
    const Id key = columns.key[i + kAhead];
    keys_.fetch_value(key);
    here_.fetch(room_of(key).pool, key, columns.node[i + kAhead]);
  }

  void step(const Columns& columns, std::size_t i, Time now) {
    const std::uint8_t mark = columns.mark[i];
    const Id node = columns.node[i];
    switch (mark & kOp) {
      case kClear: {
        const Id lookup = columns.value[i];
        return empty([&](Id room) { return lookup == kNone || setting_.rooms[static_cast<std::size_t>(room)].lookup == lookup; }, node, kCleared, kClears, now);
      }
      case kRestart:
        return restart(node, now);
    }
    const Id key = columns.key[i];
    const RoomRules& room = room_of(key);
    const Id compartment = here_.of(room.pool, node, columns.scope[i]);
    keys_.learn(keys_[key], columns.value[i], mark, now);
    const Id slot = compartment == kNone ? kNone : here_.slot(key, compartment);
    if (columns.next_read != nullptr && slot != kNone && !room.pinned) here_.at(compartment).policy->coming(slot, columns.next_read[i]);
    if ((mark & kOp) == kWrite) return write(columns, i, room, slot, now);
    if (slot == kNone) return;
    if ((mark & kOp) == kPreload) return preload(columns, i, room, slot, now);
    read(columns, i, room, slot, (mark & kForced) || room.drop_first, now);
  }

  // Reads

  void read(const Columns& columns, std::size_t i, const RoomRules& room, Id slot, bool forced, Time now) {
    const Entry& entry = here_.entries[slot];
    if (keys_.is_null(keys_[columns.key[i]].value)) ++tally(room).counts[kNullsRead];
    const bool serves = !forced && entry.held() && now - room.serve_stale < entry.dies_at;
    if (serves && !(room.nulls == Nulls::blind && keys_.is_null(here_.slot_at(slot).value))) return hit(columns, i, room, slot, now);
    if (is_loading(slot) && room.overlap == Overlap::join && !forced) return join(columns, i, room, slot, now);
    miss(columns, i, room, slot, forced, now);
  }

  void hit(const Columns& columns, std::size_t i, const RoomRules& room, Id id, Time now) {
    Entry& entry = here_.entries[id];
    Slot& slot = here_.slot_at(id);
    Tally& own = tally(room);
    const Bytes size = entry.bytes - room.entry_overhead;
    const Id truth = keys_[slot.key].value;
    ++own.counts[kHits];
    own.counts[kBytesHit] += size;
    ledger_.took(own, room.hit_cost + static_cast<Time>(std::min<Int128>(Int128{size} * room.hit_cost_per_kib / 1024, kMostCost)));
    if (keys_.is_null(slot.value)) ++own.counts[kNullsHit];
    if (!keys_.same(slot.value, truth)) {
      if (keys_.is_null(slot.value)) ++own.counts[kGhosts];
      ledger_.stale_hit(own, now - keys_.changed_at(slot.value));
    }
    const bool live = entry.live(now);
    if (live) use(room, entry, slot, now);
    entry.idle_since = now;
    if (!room.pinned) here_.at(slot.compartment).policy->hit(id, now);
    if ((!live || now >= slot.refresh_at) && !is_loading(id)) load_in_background(columns, i, room, id, now);
  }

  void join(const Columns& columns, std::size_t i, const RoomRules& room, Id slot, Time now) {
    const Load& first = loads_[static_cast<std::size_t>(here_.slot_at(slot).first_load)];
    Tally& own = tally(room);
    ++own.counts[kJoined];
    own.counts[kBytesMissed] += columns.size[i];
    ledger_.took(own, first.ends_at - now);
    if (!keys_.same(first.value, keys_[columns.key[i]].value)) ++own.counts[kJoinedStale];
  }

  void miss(const Columns& columns, std::size_t i, const RoomRules& room, Id id, bool forced, Time now) {
    Entry& entry = here_.entries[id];
    Tally& own = tally(room);
    const Time cost = columns.cost[i];
    Cause cause = entry.held() ? absence(room, id, now) : entry.cause;
    if (cause == kFirst && keys_[columns.key[i]].known) cause = kScope;
    if (forced) cause = kForcedMiss;
    if (is_loading(id) && room.overlap == Overlap::repeat) cause = kLoading;
    const auto more = share_batch(columns, i, room, cost, now);
    if (more) {
      ++own.counts[kBatched];
      own.origin_time += *more;
    } else {
      ledger_.load(own, cost, now);
    }
    ++own.counts[cause];
    own.counts[kBytesMissed] += columns.size[i];
    ledger_.took(own, cost);
    begin(columns, i, room, id, now);
  }

  std::optional<Time> share_batch(const Columns& columns, std::size_t i, const RoomRules& room, Time cost, Time now) {
    if (room.batch == 0 || columns.scope[i] < 0) return std::nullopt;
    return batches_.share(who(room.lookup, columns.scope[i]), now, room.batch, cost);
  }
  static std::uint64_t who(Id lookup, Id by) { return static_cast<std::uint64_t>(lookup) << 32 | static_cast<std::uint32_t>(by); }

  // Why a held entry does not answer. An expired one that is touched leaves here.
  Cause absence(const RoomRules& room, Id slot, Time now) {
    const Entry& entry = here_.entries[slot];
    if (!entry.live(now)) {
      const Cause cause = expiry(room, slot);
      leave(room, slot, cause, kExpirations, now);
      return cause;
    }
    if (room.drop_first) leave(room, slot, kDropped, kDrops, now);
    return kNull;  // a blind null, or a forced read, whose cause is another
  }

  // Which lifetime ended first; of a tie, the first of these.
  Cause expiry(const RoomRules& room, Id slot) {
    const Entry& entry = here_.entries[slot];
    if (entry.dies_at == entry.ages_at) return kAged;
    return entry.dies_at == here_.slot_at(slot).used_at + room.sliding ? kIdle : kClock;
  }

  // Loads

  void load_in_background(const Columns& columns, std::size_t i, const RoomRules& room, Id slot, Time now) {
    count_background(room, columns.cost[i], now);
    begin(columns, i, room, slot, now);
  }

  void count_background(const RoomRules& room, Time cost, Time now) {
    ledger_.load(tally(room), cost, now);
    ++tally(room).counts[kBackgroundLoads];
  }

  // What one look-up preloads on one node at one moment takes one call.
  void preload(const Columns& columns, std::size_t i, const RoomRules& room, Id slot, Time now) {
    if (const auto more = preloads_.share(who(room.lookup, columns.node[i]), now, 1, columns.cost[i])) {
      tally(room).origin_time += *more;
    } else {
      count_background(room, columns.cost[i], now);
    }
    begin(columns, i, room, slot, now);
  }

  void begin(const Columns& columns, std::size_t i, const RoomRules& room, Id slot, Time now) {
    const Time cost = columns.cost[i];
    const Load load{.ends_at = now + cost, .loaded_at = now, .cost = cost, .size = columns.size[i], .slot = slot, .value = keys_[columns.key[i]].value};
    if (cost == 0 || !setting_.timed) {
      store(room, load, now);
      return;
    }
    const Id begun = put(load);
    Slot& own = here_.slot_at(slot);
    loads_[static_cast<std::size_t>(begun)].before = own.last_load;
    (own.last_load == kNone ? own.first_load : loads_[static_cast<std::size_t>(own.last_load)].after) = begun;
    own.last_load = begun;
    schedule(load.ends_at, Kind::load, begun);
  }

  Id put(const Load& load) {
    if (free_loads_.empty()) {
      if (loads_.size() >= static_cast<std::size_t>(INT32_MAX)) throw std::length_error("more than 2^31 loads and messages under way");
      free_loads_.push_back(static_cast<Id>(loads_.size()));
      loads_.emplace_back();
    }
    const Id place = free_loads_.back();
    free_loads_.pop_back();
    loads_[static_cast<std::size_t>(place)] = load;
    return place;
  }

  bool is_loading(Id slot) { return here_.slot_at(slot).first_load != kNone; }

  void finish(Id place, Time now) {
    const Load load = loads_[static_cast<std::size_t>(place)];
    free_loads_.push_back(place);
    if (load.slot == kNone) return;
    Slot& slot = here_.slot_at(load.slot);
    (load.before == kNone ? slot.first_load : loads_[static_cast<std::size_t>(load.before)].after) = load.after;
    (load.after == kNone ? slot.last_load : loads_[static_cast<std::size_t>(load.after)].before) = load.before;
    const RoomRules& room = room_of(slot.key);
    if (store(room, load, now) && load.raced) ++tally(room).counts[kRaced];
  }

  // Keeps a value that was loaded or written if the rules allow; true if it was kept.
  bool store(const RoomRules& room, const Load& load, Time now, bool written = false) {
    Entry& entry = here_.entries[load.slot];
    Slot& slot = here_.slot_at(load.slot);
    Compartment& one = here_.at(slot.compartment);
    const bool null = keys_.is_null(load.value);
    keys_[slot.key].known = true;
    if (null && room.nulls == Nulls::skip) {
      if (!entry.held()) entry.cause = kNull;
      return false;
    }
    if (entry.held()) leave(room, load.slot, kRefused, kSuperseded, now);
    const Bytes bytes = load.size + room.entry_overhead;
    if (!passes(room, load) || !accepts(one, bytes)) {
      ++tally(room).counts[kRefusals];
      entry.cause = kRefused;
      return false;
    }
    make_room(one, load.slot, bytes, room.pinned, now);
    entry.ages_at = load.loaded_at + lifetime(room, slot.key, null);
    slot.clock_at = first_after(room.expires_at, load.loaded_at);
    slot.refresh_at = room.refresh_to == 0 ? kNever : load.loaded_at + share(entry.ages_at - load.loaded_at, room.refresh_of, room.refresh_to);
    slot.value = load.value;
    use(room, entry, slot, load.loaded_at);
    entry.idle_since = now;
    entry.bytes = bytes;
    entry.set(Entry::kHeld);
    here_.link(one, load.slot);
    ++one.entries;
    one.bytes += bytes;
    if (room.pinned) {
      ++one.pinned_entries;
      one.pinned_bytes += bytes;
    } else {
      one.policy->placed(load.slot, written ? kNotLoaded : load.cost, now);
    }
    ++tally(room).counts[kStored];
    ledger_.hold(tally(room), 1, bytes, now);
    watch(room, load.slot, now);
    return true;
  }

  // The sliding lifetime begins anew.
  static void use(const RoomRules& room, Entry& entry, Slot& slot, Time now) {
    slot.used_at = now;
    entry.dies_at = std::min({entry.ages_at, now + room.sliding, slot.clock_at});
  }

  Time lifetime(const RoomRules& room, Id key, bool null) {
    const std::uint64_t number = keys_[key].kept++;
    const Time longest = null ? room.null_lifetime : room.absolute, varies = null ? room.null_jitter : room.jitter;
    if (varies == 0) return longest;
    return longest - static_cast<Time>(draw_below(mix(mix(static_cast<std::uint64_t>(key)) + number * kStep), static_cast<std::uint64_t>(varies) + 1));
  }

  static Time first_after(const std::vector<Time>& moments, Time at) {
    const auto found = std::upper_bound(moments.begin(), moments.end(), at);
    return found == moments.end() ? INT64_MAX : *found;
  }

  static Time share(Time span, std::int64_t of, std::int64_t to) { return static_cast<Time>(Int128{span} * of / to); }

  static bool passes(const RoomRules& room, const Load& load) {
    return room.passes && load.size >= room.least_size && load.size <= room.most_size && load.cost >= room.least_cost && load.cost <= room.most_cost;
  }

  // Whether there is room beside what is pinned, or beside all that is held where nothing makes way.
  bool accepts(const Compartment& one, Bytes bytes) const {
    const PoolRules& limits = setting_.pools[static_cast<std::size_t>(one.pool)];
    if (one.pinned_entries >= limits.max_entries || one.pinned_bytes + bytes > limits.max_bytes) return false;
    return !(limits.refuses && is_full_for(one, limits, bytes));
  }

  static bool is_full_for(const Compartment& one, const PoolRules& limits, Bytes bytes) {
    return one.entries >= limits.max_entries || one.bytes + bytes > limits.max_bytes;
  }

  // A policy hears nothing of what is pinned.
  void make_room(Compartment& one, Id slot, Bytes bytes, bool pinned, Time now) {
    const PoolRules& limits = setting_.pools[static_cast<std::size_t>(one.pool)];
    if (!pinned) one.policy->arriving(slot, bytes);
    const bool trims = limits.trims && is_full_for(one, limits, bytes);
    const auto too_much = [&] { return one.entries > one.pinned_entries && (one.entries > limits.trim_entries || one.bytes > limits.trim_bytes); };
    while (is_full_for(one, limits, bytes) || (trims && too_much())) {
      const Id victim = one.policy->evict();
      vacate(room_of(here_.slot_at(victim).key), victim, kEvicted, kEvictions, now);
    }
  }

  // What leaves

  // An entry goes, and is counted; `cause` is what its key's next miss will be put down to.
  void leave(const RoomRules& room, Id slot, Cause cause, Count count, Time now) {
    if (!room.pinned) here_.at(here_.slot_at(slot).compartment).policy->left(slot);
    vacate(room, slot, cause, count, now);
  }

  void vacate(const RoomRules& room, Id id, Cause cause, Count count, Time now) {
    Entry& entry = here_.entries[id];
    Compartment& one = here_.at(here_.slot_at(id).compartment);
    Tally& own = tally(room);
    here_.unlink(one, id);
    if (room.collect != Collect::touch) agenda_.watches.take(id);
    --one.entries;
    one.bytes -= entry.bytes;
    if (room.pinned) {
      --one.pinned_entries;
      one.pinned_bytes -= entry.bytes;
    }
    ++own.counts[count];
    ledger_.idle(own, entry.bytes, entry.idle_since, now);
    ledger_.hold(own, -1, -entry.bytes, now);
    entry.unset(Entry::kHeld);
    entry.dies_at = kGone;
    entry.cause = cause;
  }

  // When an entry that is not touched goes, where the rules collect what has expired.
  Time collected_at(const RoomRules& room, const Entry& entry, Time now) const {
    if (entry.dies_at > kLatest - room.serve_stale) return kNever;
    const Time at = std::max(entry.dies_at + room.serve_stale, now);
    if (room.collect == Collect::prompt) return at;
    return start_ + (at - start_ + room.collect_every - 1) / room.collect_every * room.collect_every;
  }

  void watch(const RoomRules& room, Id slot, Time now) {
    if (room.collect == Collect::touch) return;
    const Time at = collected_at(room, here_.entries[slot], now);
    if (at > kLatest) return;
    const Slot& own = here_.slot_at(slot);
    agenda_.watches.add({.at = at, .key = own.key, .number = here_.at(own.compartment).number, .slot = slot});
    next_due_ = std::min(next_due_, at);
  }

  void collect(Id slot, Time now) {
    const RoomRules& room = room_of(here_.slot_at(slot).key);
    if (collected_at(room, here_.entries[slot], now) > now) return watch(room, slot, now);
    leave(room, slot, expiry(room, slot), kExpirations, now);
  }

  // Changes

  void write(const Columns& columns, std::size_t i, const RoomRules& room, Id slot, Time now) {
    const Id value = keys_[columns.key[i]].value;
    const bool keeps = !keys_.is_null(value) || room.nulls != Nulls::skip;
    const Load written{.ends_at = now, .loaded_at = now, .cost = columns.cost[i], .size = columns.size[i], .slot = slot, .value = value};
    if (slot != kNone && room.on_write != OnWrite::leave) {
      if (room.on_write == OnWrite::drop || !keeps) {
        drop(room, slot, now);
      } else if (store(room, written, now, true) && room.reloads) {
        count_background(room, columns.cost[i], now);
      }
    }
    if (room.tell_nodes != TellNodes::nothing) tell(room, columns.key[i], columns.node[i], written, now);
  }

  void drop(const RoomRules& room, Id slot, Time now) {
    for (Id load = here_.slot_at(slot).first_load; load != kNone; load = loads_[static_cast<std::size_t>(load)].after) {
      loads_[static_cast<std::size_t>(load)].raced = true;
    }
    if (here_.entries[slot].held()) leave(room, slot, kDropped, kDrops, now);
  }

  // The other nodes hear of a write, at once or later.
  void tell(const RoomRules& room, Id key, Id node, const Load& written, Time now) {
    here_.each(static_cast<std::size_t>(room.pool), kNone, [&](Id compartment) {
      if (here_.at(compartment).number == node + 1) return;
      Load message = written;
      message.slot = here_.slot(key, compartment);
      if (room.tell_delay == 0) return hear(message, now);
      schedule(now + room.tell_delay, Kind::message, put(message));
    });
  }

  void hear(const Load message, Time now) {
    const RoomRules& room = room_of(here_.slot_at(message.slot).key);
    const bool keeps = !keys_.is_null(message.value) || room.nulls != Nulls::skip;
    if (room.tell_nodes == TellNodes::copy && keeps) {
      store(room, message, now, true);
    } else {
      drop(room, message.slot, now);
    }
  }

  // Bad moments

  void restart(Id node, Time now) {
    for (std::size_t pool = 0; pool < setting_.pools.size(); ++pool) {
      here_.each(pool, node, [&](Id compartment) {
        for (const Load& load : loads_) {
          if (load.slot != kNone && here_.slot_at(load.slot).compartment == compartment) give_up_loads(load.slot, kRestarted);
        }
      });
    }
    empty([&](Id room) { return !setting_.rooms[static_cast<std::size_t>(room)].survives_restart; }, node, kRestarted, kLost, now);
  }

  // Those of one key.
  void give_up_loads(Id id, Cause cause) {
    Slot& slot = here_.slot_at(id);
    if (slot.first_load == kNone) return;
    for (Id load = slot.first_load; load != kNone; load = loads_[static_cast<std::size_t>(load)].after) loads_[static_cast<std::size_t>(load)].slot = kNone;
    slot.first_load = slot.last_load = kNone;
    here_.entries[id].cause = cause;
  }

  // All entries of the rooms of which `goes` is true go. A compartment that can hold nothing else begins anew.
  template <class Goes>
  void empty(Goes goes, Id node, Cause cause, Count count, Time now) {
    for (std::size_t pool = 0; pool < setting_.pools.size(); ++pool) {
      bool some = false, whole = true;
      for (std::size_t room = 0; room < setting_.rooms.size(); ++room) {
        if (static_cast<std::size_t>(setting_.rooms[room].pool) != pool) continue;
        const bool going = goes(static_cast<Id>(room));
        some |= going;
        whole &= going;
      }
      if (!some) continue;
      here_.each(pool, node, [&](Id compartment) {
        Compartment& one = here_.at(compartment);
        const auto going = here_.held(one, [&](Id slot) { return goes(setting_.key_rooms[static_cast<std::size_t>(here_.slot_at(slot).key)]); });
        for (const Id slot : going) leave(room_of(here_.slot_at(slot).key), slot, cause, count, now);
        if (whole) here_.renew(one);
      });
    }
  }

  // What a scope held is freed after its last row.
  void end_scope(Id scope, Time now) {
    if (setting_.last_rows[static_cast<std::size_t>(scope + 1)] != rows_) return;
    here_.close_scope(scope, [&](Id compartment) {
      const Compartment& one = here_.at(compartment);
      for (Id slot = one.first_slot; slot != kNone; slot = here_.slot_at(slot).sibling) give_up_loads(slot, kFirst);
      while (one.first_held != kNone) leave(room_of(here_.slot_at(one.first_held).key), one.first_held, kFirst, kLost, now);
    });
    for (std::size_t lookup = 0; batches_.size() > 0 && lookup < setting_.lookups; ++lookup) batches_.forget(who(static_cast<Id>(lookup), scope));
  }

  static constexpr Time kNotLoaded = -1;  // the cost of a value that was written

  const Setting setting_;
  Ledger ledger_;
  Keys keys_;
  Compartments here_;
  Agenda agenda_;
  std::vector<Load> loads_;
  std::vector<Id> free_loads_;
  Calls batches_, preloads_;
  Time start_ = 0, next_due_ = kGone;
  std::int64_t rows_ = 0;
};

inline bool Replay::check() {
  std::vector<Level> found(setting_.lookups);
  for (Compartment& one : here_.all) {
    if (!one.policy) continue;
    const PoolRules& limits = setting_.pools[static_cast<std::size_t>(one.pool)];
    Level all, pinned;
    for (Id id = one.first_held; id != kNone; id = here_.slot_at(id).after) {
      const Entry& entry = here_.entries[id];
      const RoomRules& room = room_of(here_.slot_at(id).key);
      if (!entry.held() || here_.slot_at(id).compartment != static_cast<Id>(&one - here_.all.data())) return false;
      all.change(1, entry.bytes);
      if (room.pinned) pinned.change(1, entry.bytes);
      found[static_cast<std::size_t>(room.lookup)].change(1, entry.bytes);
    }
    if (all.entries != one.entries || all.bytes != one.bytes || pinned.entries != one.pinned_entries || pinned.bytes != one.pinned_bytes) return false;
    if (one.entries > limits.max_entries || one.bytes > limits.max_bytes) return false;
  }
  for (std::size_t lookup = 0; lookup < found.size(); ++lookup) {
    const Level& held = ledger_.tallies()[lookup].held;
    if (held.entries != found[lookup].entries || held.bytes != found[lookup].bytes) return false;
  }
  return true;
}

}  // namespace vestigo::full
