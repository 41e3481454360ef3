// vestigo/witness/witness.hpp: what a replay tells of single reads and keys, if it is asked.
//
// A replay is compiled with one of these two. The empty one costs nothing.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "answers.hpp"
#include "key_rows.hpp"
#include "log.hpp"

namespace vestigo {

// What a happening is about.
struct Who {
  Id place;  // the entry, or slot
  Id row;    // the row in KeyRows; the log is chosen by it too
  Id where;  // the node or scope, if the row of the trace does not say it
  bool logged;
};

// How a value came in.
enum class Came : std::uint8_t { loaded, written, copied };

struct NoWitness {
  static constexpr bool sees = false;

  void fetch(Id) const {}
  void hit(const Who&, std::size_t, Time, Time, Time, bool, Time) {}
  void join(const Who&, std::size_t, Time, Time, bool, Time) {}
  void fail(const Who&, std::size_t, Time, Time) {}
  void miss(const Who&, std::size_t, Cause, Time, Time, bool, Time) {}
  void call(const Who&, Time, bool = true) {}
  void share(const Who&, Time, bool = true) {}
  void lengthen(const Who&, Time) {}
  void reload(const Who&, std::size_t, Time, Time, Time) {}
  void load_failed(const Who&, Time) {}
  void coming(const Who&) {}
  void kept(const Who&, const Entry&, Came, Time) {}
  void left(const Who&, const Entry&, Cause, Count, Time) {}
  void refused(const Who&, Time) {}
  void declined(const Who&, Time) {}
};

// What a witness may be asked for, as flags. Each costs a little even if it is not asked for.
enum May : unsigned { kAnswer = 1, kCount = 2, kLog = 4, kAll = 7 };

// What is told at the end.
struct Testimony {
  std::vector<StaleAnswer> stale;
  KeyRows keys;
  Log log;
};

template <unsigned may>
class Witness : public Testimony {
 public:
  static constexpr bool sees = true;

  // A batch begins. `answers` is where the answers of its reads go, if they are wanted.
  void open(std::size_t events, const std::optional<Answers>& answers) {
    begin_ += events_;
    events_ = events;
    answers_ = answers;
  }

  void fetch(Id row) const {
    if (counts()) keys.fetch(row);
  }

  // Reads. `i` is the row in the batch. `stale_age` is kNoAge if the answer is fresh.

  [[gnu::always_inline]] void hit(const Who& who, std::size_t i, Time took, Time age,
                                  Time stale_age, bool null, Time now) {
    if (answers()) put_answer(i, Answers::kHitAnswer, null, took, age, stale_age);
    if (counts()) {
      ++keys[who.row].hits;
      if (stale_age != kNoAge) keys.stale_hit(who.row, stale_age, null);
    }
    if (logs(who)) [[unlikely]]
      put_read(who, stale_age == kNoAge ? kWasHit : kWasStaleHit, i, std::max(stale_age, Time{0}),
               now);
  }

  void join(const Who& who, std::size_t i, Time took, Time stale_age, bool null, Time now) {
    if (answers()) put_answer(i, Answers::kJoinedAnswer, null, took, kNoAge, stale_age);
    if (counts()) ++keys.rare(who.row).joined;
    if (logs(who)) [[unlikely]]
      put_read(who, kWasJoined, i, std::max(stale_age, Time{0}), now);
  }

  void fail(const Who& who, std::size_t i, Time took, Time now) {
    if (answers()) put_answer(i, Answers::kFailedAnswer, false, took, kNoAge, kNoAge);
    if (counts()) ++keys.rare(who.row).failed;
    if (logs(who)) [[unlikely]]
      put_read(who, kHasFailed, i, took, now);
  }

  // `waited`: how much of the time that it took it waited for a place at the origin.
  [[gnu::always_inline]] void miss(const Who& who, std::size_t i, Cause cause, Time took,
                                   Time waited, bool null, Time now) {
    if (answers())
      put_answer(i, static_cast<std::uint8_t>(Answers::kMissAnswer + cause), null, took, kNoAge,
                 kNoAge);
    if (counts()) keys.miss(who.row, cause);
    if (logs(who)) [[unlikely]]
      put_miss(who, i, cause, took, waited, now);
  }

  // Origin calls

  // A read makes one of its own,
  void call(const Who& who, Time takes, bool is_miss = true) {
    lengthen(who, takes);
    if (!is_miss && counts()) ++keys.rare(who.row).more_loads;
  }
  // or shares another's, which takes longer because of it.
  void share(const Who& who, Time more, bool is_miss = true) {
    lengthen(who, more);
    if (is_miss && counts()) --keys.rare(who.row).more_loads;
  }
  void lengthen(const Who& who, Time more) {
    if (counts()) keys.add_origin_time(who.row, more);
  }
  void reload(const Who& who, std::size_t i, Time takes, Time waited, Time now) {
    call(who, takes, false);
    if (logs(who))
      put(who, {.what = kWasReloaded,
                .row = row(i),
                .at = now,
                .span = waited + takes,
                .waited = waited});
  }

  // What is held

  // A value comes in next. Others may be evicted for it.
  void coming(const Who& who) { coming_ = who.row; }

  [[gnu::always_inline]] void kept(const Who& who, const Entry& entry, Came came, Time now) {
    if (counts()) keys.keep(who.row, entry.bytes, now);
    if (logs(who)) [[unlikely]]
      put_kept(who, entry, came, now);
  }

  [[gnu::always_inline]] void left(const Who& who, const Entry& entry, Cause cause, Count count,
                                   Time now) {
    if (counts()) keys.let_go(who.row, entry.bytes, entry.idle_since, now, count == kEvictions);
    if (logs(who)) [[unlikely]]
      put_left(who, entry, cause, count, now);
  }

  void refused(const Who& who, Time now) {
    if (logs(who)) put(who, {.what = kWasRefused, .at = now});
  }
  void load_failed(const Who& who, Time now) {
    if (logs(who)) put(who, {.what = kLoadFailed, .at = now});
  }
  void declined(const Who& who, Time now) {
    if (logs(who)) put(who, {.what = kWasNull, .at = now});
  }

  // The warm-up is over. After this it hears of everything that is held.
  void count_from(Time now) {
    if (keys.wanted()) keys.begin(now);
  }
  void is_held(const Who& who, const Entry& entry, Time now) {
    if (counts()) keys.keep(who.row, entry.bytes, now);
  }
  // The trace is over.
  void stays(const Who& who, const Entry& entry, Time now) {
    if (counts()) keys.let_go(who.row, entry.bytes, entry.idle_since, now, false);
  }

 private:
  bool answers() const { return (may & kAnswer) && (may == kAnswer || answers_); }
  bool counts() const { return (may & kCount) && keys.counting(); }
  static bool logs(const Who& who) { return (may & kLog) && who.logged; }

  void put_answer(std::size_t i, std::uint8_t what, bool null, Time took, Time age,
                  Time stale_age) {
    answers_->put(i, what, null, took, age);
    if (stale_age != kNoAge) [[unlikely]]
      stale.push_back({row(i), stale_age});
  }

  std::uint32_t row(std::size_t i) const { return static_cast<std::uint32_t>(begin_ + i); }

  [[gnu::cold, gnu::noinline]] void put_read(const Who& who, What what, std::size_t i, Time oldest,
                                             Time now) {
    put(who, {.what = what, .times = 1, .row = row(i), .at = now, .until = now, .span = oldest});
  }
  [[gnu::cold, gnu::noinline]] void put_miss(const Who& who, std::size_t i, Cause cause, Time took,
                                             Time waited, Time now) {
    put(who, {.what = kWasMissed,
              .why = cause,
              .row = row(i),
              .at = now,
              .span = took,
              .waited = waited});
  }
  [[gnu::cold, gnu::noinline]] void put_kept(const Who& who, const Entry& entry, Came came,
                                             Time now) {
    const What what = came == Came::loaded    ? kWasKept
                      : came == Came::written ? kWasWritten
                                              : kWasCopied;
    put(who, {.what = what, .at = now, .since = entry.loaded_at, .bytes = entry.bytes});
  }
  [[gnu::cold, gnu::noinline]] void put_left(const Who& who, const Entry& entry, Cause cause,
                                             Count count, Time now) {
    const Id other = count == kEvictions ? coming_ : kNone;
    put(who, {.what = kHasLeft,
              .why = cause,
              .counted_as = static_cast<std::uint8_t>(count - kHits),
              .other = other,
              .at = now,
              .since = entry.idle_since,
              .bytes = entry.bytes});
  }
  void put(const Who& who, Happening happening) {
    happening.key = who.row;
    happening.where = who.where;
    if (happening.what != kHasLeft) happening.other = kNone;
    log.put(who.place, happening);
  }

  std::optional<Answers> answers_;
  std::size_t begin_ = 0, events_ = 0;  // the answers of the current batch
  Id coming_ = kNone;
};

}  // namespace vestigo
