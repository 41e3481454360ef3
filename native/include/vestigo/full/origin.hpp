// vestigo/full/origin.hpp: what becomes of an origin call. docs/semantics.md, "An origin with a
// capacity".
#pragma once

#include <algorithm>
#include <deque>
#include <vector>

#include "../min_heap.hpp"
#include "../numbers.hpp"

namespace vestigo::full {

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
  explicit Origin(Served asked) : served(std::move(asked)) {}

  const Served served;

  Call call(Time now, Time cost) {
    if (served.places == 0) return serve(now, cost);
    // A place that was taken before is taken again if it is free, so that they stay few.
    const bool all_taken = free_at_.empty() || free_at_.first() > now;
    const bool is_new = all_taken && free_at_.size() < served.places;
    Call call = serve(is_new ? now : std::max(now, free_at_.first()), cost);
    is_new ? free_at_.push(call.ends) : free_at_.replace_first(call.ends);
    while (!waiting_.empty() && waiting_.front() <= now) waiting_.pop_front();
    if (call.begins > now) waiting_.push_back(call.begins);
    call.queue = static_cast<std::int64_t>(waiting_.size());
    return call;
  }

  // A call that begins to be served. While the origin is away, it fails.
  Call serve(Time begins, Time cost) const {
    const Time ends = later(begins, slowed(begins, cost));
    const auto next = std::partition_point(served.down.begin(), served.down.end(),
                                           [=](const Outage& one) { return one.ends <= begins; });
    if (next == served.down.end() || (next->begins > begins && next->begins >= ends))
      return {begins, ends, false};
    return {begins, later(std::max(begins, next->begins), served.fails_after), true};
  }

 private:
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

  MinHeap<Time> free_at_;     // when each place that was ever taken is free again
  std::deque<Time> waiting_;  // when each call that waits is served
};

}  // namespace vestigo::full
