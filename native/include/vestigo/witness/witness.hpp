// vestigo/witness/witness.hpp: what a replay tells of single reads and keys, if it is asked.
//
// A replay is compiled with one of these two. No witness costs nothing.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "answers.hpp"
#include "key_rows.hpp"
#include "log.hpp"

namespace vestigo {

// Whose happening it is.
struct Who {
  Id place;  // the entry, or slot
  Id row;    // of KeyRows; also what is chosen by
  Id where;  // the node or scope, if the row does not say it
};

// How a value came in.
enum class Came : std::uint8_t { loaded, written, copied };

struct NoWitness {
  static constexpr bool sees = false;

  void fetch(Id) const {}
  void hit(const Who&, std::size_t, Time, Time, Time, bool, Time) {}
  void join(const Who&, std::size_t, Time, Time, bool, Time) {}
  void miss(const Who&, std::size_t, Cause, Time, bool, Time) {}
  void call(const Who&, Time) {}
  void lengthen(const Who&, Time) {}
  void reload(const Who&, std::size_t, Time, Time) {}
  void coming(const Who&) {}
  void kept(const Who&, const Entry&, Came, Time) {}
  void left(const Who&, const Entry&, Cause, Count, Time) {}
  void refused(const Who&, Time) {}
  void declined(const Who&, Time) {}
};

class Witness {
 public:
  static constexpr bool sees = true;

  KeyRows keys;
  Log log;

  // A batch begins. `answers`: where those of its reads go, if anyone wants them.
  void open(std::size_t events, const std::optional<Answers>& answers) {
    begin_ += events_;
    events_ = events;
    answers_ = answers;
  }

  void fetch(Id row) const {
    if (!keys.empty()) keys.fetch(row);
  }

  // Reads. `i` is the row in the batch; `stale_age` is kNoAge of a fresh one.

  [[gnu::always_inline]] void hit(const Who& who, std::size_t i, Time took, Time age, Time stale_age, bool null, Time now) {
    if (answers_) answers_->put(i, Answers::kHitAnswer, null, took, age, stale_age);
    if (!keys.empty()) {
      KeyRow& row = keys[who.row];
      ++row.hits;
      if (stale_age != kNoAge) count_stale(row, stale_age, null);
    }
    if (log.chose(who.row)) put_read(who, stale_age == kNoAge ? kWasHit : kWasStaleHit, i, std::max(stale_age, Time{0}), now);
  }

  void join(const Who& who, std::size_t i, Time took, Time stale_age, bool null, Time now) {
    if (answers_) answers_->put(i, Answers::kJoinedAnswer, null, took, kNoAge, stale_age);
    if (!keys.empty()) ++keys[who.row].joined;
    if (log.chose(who.row)) put_read(who, kWasJoined, i, std::max(stale_age, Time{0}), now);
  }

  [[gnu::always_inline]] void miss(const Who& who, std::size_t i, Cause cause, Time took, bool null, Time now) {
    if (answers_) answers_->put(i, static_cast<std::uint8_t>(Answers::kMissAnswer + cause), null, took, kNoAge, kNoAge);
    if (!keys.empty()) ++keys[who.row].misses[cause];
    if (log.chose(who.row)) put_miss(who, i, cause, took, now);
  }

  // Origin calls

  void call(const Who& who, Time cost) {
    if (keys.empty()) return;
    ++keys[who.row].loads;
    keys[who.row].origin_time_ns += cost;
  }
  // A call under way takes so much longer for one more.
  void lengthen(const Who& who, Time more) {
    if (!keys.empty()) keys[who.row].origin_time_ns += more;
  }
  void reload(const Who& who, std::size_t i, Time cost, Time now) {
    call(who, cost);
    if (log.chose(who.row)) put(who, {.what = kWasReloaded, .at = now, .row = row(i), .span = cost});
  }

  // What is held

  // A value comes in next, for which others may make way.
  void coming(const Who& who) { coming_ = who.row; }

  [[gnu::always_inline]] void kept(const Who& who, const Entry& entry, Came came, Time now) {
    if (!keys.empty()) keys[who.row].keep(entry.bytes, now);
    if (log.chose(who.row)) put_kept(who, entry, came, now);
  }

  [[gnu::always_inline]] void left(const Who& who, const Entry& entry, Cause cause, Count count, Time now) {
    if (!keys.empty()) {
      KeyRow& row = keys[who.row];
      row.let_go(entry.bytes, std::max(entry.idle_since, counted_from_), now);
      row.evictions += count == kEvictions;
    }
    if (log.chose(who.row)) put_left(who, entry, cause, count, now);
  }

  void refused(const Who& who, Time now) {
    if (log.chose(who.row)) put(who, {.what = kWasRefused, .at = now});
  }
  void declined(const Who& who, Time now) {
    if (log.chose(who.row)) put(who, {.what = kWasNull, .at = now});
  }

  // The warm-up is over; then it is told of all that is held.
  void count_from(Time now) {
    counted_from_ = now;
    keys.forget();
  }
  void is_held(const Who& who, const Entry& entry, Time now) {
    if (!keys.empty()) keys[who.row].keep(entry.bytes, now);
  }
  // The trace is over.
  void stays(const Who& who, const Entry& entry, Time now) {
    if (!keys.empty()) keys[who.row].let_go(entry.bytes, std::max(entry.idle_since, counted_from_), now);
  }

 private:
  static void count_stale(KeyRow& row, Time age, bool null) {
    ++row.stale_hits;
    row.ghosts += null;
    row.oldest_stale_ns = std::max(row.oldest_stale_ns, age);
  }

  std::int64_t row(std::size_t i) const { return static_cast<std::int64_t>(begin_ + i); }

  [[gnu::noinline]] void put_read(const Who& who, What what, std::size_t i, Time oldest, Time now) {
    put(who, {.what = what, .at = now, .until = now, .times = 1, .row = row(i), .span = oldest});
  }
  [[gnu::noinline]] void put_miss(const Who& who, std::size_t i, Cause cause, Time cost, Time now) {
    put(who, {.what = kWasMissed, .at = now, .row = row(i), .why = cause, .span = cost});
  }
  [[gnu::noinline]] void put_kept(const Who& who, const Entry& entry, Came came, Time now) {
    const What what = came == Came::loaded ? kWasKept : came == Came::written ? kWasWritten : kWasCopied;
    put(who, {.what = what, .at = now, .since = entry.loaded_at, .bytes = entry.bytes});
  }
  [[gnu::noinline]] void put_left(const Who& who, const Entry& entry, Cause cause, Count count, Time now) {
    const Id other = count == kEvictions ? coming_ : kNone;
    put(who, {.what = kHasLeft, .at = now, .why = cause, .count = static_cast<std::int64_t>(count - kCauses), .since = entry.idle_since, .bytes = entry.bytes, .other = other});
  }
  void put(const Who& who, Happening happening) {
    happening.key = who.row;
    happening.where = who.where;
    if (happening.what != kHasLeft) happening.other = kNone;
    log.put(who.place, happening);
  }

  std::optional<Answers> answers_;
  std::size_t begin_ = 0, events_ = 0;  // of the present batch
  Id coming_ = kNone;
  Time counted_from_ = kGone;
};

}  // namespace vestigo
