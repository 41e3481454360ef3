// vestigo/origin.hpp: what becomes of an origin call. docs/semantics.md, "An origin with a
// capacity".
#pragma once

#include <algorithm>
#include <deque>
#include <vector>

#include "numbers.hpp"
#include "places.hpp"

namespace vestigo {

// From a moment on, a call takes `of` / `to` times its own time.
struct Pace {
  Time begins = 0;
  std::int64_t of = 1, to = 1;
};

// From when to when an origin is away.
struct Outage {
  Time begins = 0, ends = 0;
};

// How an origin answers calls.
struct Served {
  std::size_t places = 0;    // how many calls it serves at a time; 0 means any number
  std::vector<Outage> down;  // in order, and apart from each other
  std::vector<Pace> paces;   // in order; before the first one, calls take their own time
  Time fails_after = 1;      // how long a call takes to fail
  Time give_up = kNever;     // how long a reader waits before it fails
  Time slow = kNever;        // reads that take longer are slow
};

struct Call {
  Time begins = 0, ends = 0;  // when it is served
  bool fails = false;
  std::int64_t queue = 0;  // how many calls wait when it comes, itself included

  Time takes() const { return ends - begins; }
};

// Serves calls in the order in which they come. When one comes, it is known when it will end.
class Origin {
 public:
  explicit Origin(Served asked)
      : served(std::move(asked)),
        is_always_the_same_(served.down.empty() && served.paces.empty()),
        places_(served.places) {}

  const Served served;

  Call call(Time now, Time cost) {
    if (served.places == 0) return serve(now, cost);
    Call call = serve(places_.next(now), cost);
    places_.take(call.ends);
    if (call.begins > now) call.queue = wait(call.begins, now);
    return call;
  }

  // A call that begins to be served. While the origin is away, it fails.
  Call serve(Time begins, Time cost) const {
    if (is_always_the_same_) return {begins, later(begins, cost)};
    const Time ends = later(begins, slowed(begins, cost));
    const auto next = std::partition_point(served.down.begin(), served.down.end(),
                                           [=](const Outage& one) { return one.ends <= begins; });
    if (next == served.down.end() || (next->begins > begins && next->begins >= ends))
      return {begins, ends, false};
    return {begins, later(std::max(begins, next->begins), served.fails_after), true};
  }

 private:
  // A call waits. Returns how many do.
  std::int64_t wait(Time until, Time now) {
    while (!waiting_.empty() && waiting_.front() <= now) waiting_.pop_front();
    waiting_.push_back(until);
    return static_cast<std::int64_t>(waiting_.size());
  }

  // Without overflow: what ends later than any trace is as good as never.
  static Time later(Time at, Time span) {
    return std::min(at + std::min(span, kNever - at), kNever);
  }

  Time slowed(Time begins, Time cost) const {
    const auto next = std::partition_point(served.paces.begin(), served.paces.end(),
                                           [=](const Pace& one) { return one.begins <= begins; });
    if (next == served.paces.begin()) return cost;
    const Pace& pace = *(next - 1);
    return static_cast<Time>(std::min<Int128>(Int128{cost} * pace.of / pace.to, kNever));
  }

  bool is_always_the_same_;
  Places places_;
  std::deque<Time> waiting_;  // when each call that waits is served
};

}  // namespace vestigo
