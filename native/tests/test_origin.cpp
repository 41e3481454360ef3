// An origin beside a plain simulation of it, event by event: calls wait in a list, and the one that
// has waited longest gets the place that is free first. And the heap on which it stands.
#include <algorithm>
#include <functional>
#include <list>
#include <queue>
#include <random>
#include <vector>

#include "check.hpp"
#include "vestigo/full/failures.hpp"
#include "vestigo/origin.hpp"

using namespace vestigo;
using namespace vestigo::full;

namespace {

void heap_is_one(std::mt19937& random) {
  MinHeap<int> heap;
  std::priority_queue<int, std::vector<int>, std::greater<>> plain;
  for (int i = 0; i < 50'000; ++i) {
    const int node = static_cast<int>(random() % 500);
    const bool fills = random() % 100 < (i / 5'000 % 2 == 0 ? 60 : 40);
    if (plain.empty() || fills) {
      heap.push(node);
      plain.push(node);
    } else if (random() % 2 == 0) {
      CHECK(heap.take_first() == plain.top());
      plain.pop();
    } else {
      heap.replace_first(node);
      plain.pop();
      plain.push(node);
    }
    if (i % 1'000 == 0) {  // it comes back in another order
      std::vector<int> nodes;
      heap.exchange(nodes);
      CHECK(heap.empty() && nodes.size() == plain.size());
      std::shuffle(nodes.begin(), nodes.end(), random);
      heap.exchange(nodes);
    }
    CHECK(heap.size() == plain.size() && heap.empty() == plain.empty());
    if (!plain.empty()) CHECK(heap.first() == plain.top());
  }
}

struct Asked {
  Time at, cost;
};

// How a call goes that is served from a moment on, looked up second by second.
Call by_steps(const Served& served, Time begins, Time cost) {
  Int128 takes = cost;
  for (const Pace& pace : served.paces) {
    if (pace.begins <= begins) takes = Int128{cost} * pace.of / pace.to;
  }
  const Time ends = begins + static_cast<Time>(takes);
  for (Time now = begins; now < std::max(ends, begins + 1); ++now) {
    for (const Outage& outage : served.down) {
      if (outage.begins <= now && now < outage.ends)
        return {begins, now + served.fails_after, true};
    }
  }
  return {begins, ends, false};
}

// The calls as they are served, one moment after the other.
std::vector<Call> simulated(const Served& served, const std::vector<Asked>& calls) {
  std::vector<Call> found(calls.size());
  std::vector<Time> busy_until;
  std::list<std::size_t> waiting;
  std::size_t next = 0;
  for (Time now = calls[0].at; next < calls.size() || !waiting.empty(); ++now) {
    std::erase_if(busy_until, [=](Time until) { return until <= now; });
    const auto serve = [&] {
      while (!waiting.empty() && (served.places == 0 || busy_until.size() < served.places)) {
        const std::size_t first = waiting.front();
        const auto queue = found[first].queue;
        found[first] = by_steps(served, now, calls[first].cost);
        found[first].queue = queue;
        if (found[first].ends > now) busy_until.push_back(found[first].ends);
        waiting.pop_front();
      }
    };
    serve();
    for (; next < calls.size() && calls[next].at == now; ++next) {
      waiting.push_back(next);
      serve();
      found[next].queue = static_cast<std::int64_t>(waiting.size());
    }
  }
  return found;
}

Served random_served(std::mt19937& random) {
  Served served{.places = random() % 5 == 0 ? 20 + random() % 60 : random() % 4,
                .down = {},
                .paces = {},
                .fails_after = 1 + static_cast<Time>(random() % 5)};
  for (Time at = 0; random() % 3 != 0;) {
    at += 1 + static_cast<Time>(random() % 30);
    served.down.push_back({at, at + 1 + static_cast<Time>(random() % 10)});
    at = served.down.back().ends;
  }
  for (Time at = 0; random() % 3 != 0;) {
    at += 1 + static_cast<Time>(random() % 30);
    served.paces.push_back({at, 2 + static_cast<std::int64_t>(random() % 3), 2});
  }
  return served;
}

void calls_are_served_in_order(std::mt19937& random) {
  const Served served = random_served(random);
  std::vector<Asked> calls;
  Time now = 0;
  const std::uint32_t often = served.places > 3 ? 1 : 4, longest = served.places > 3 ? 90 : 8;
  for (int i = 0; i < (served.places > 3 ? 400 : 60); ++i) {
    now += static_cast<Time>(often > 1 ? random() % often : random() % 3 == 0);
    calls.push_back({now, static_cast<Time>(random() % longest)});
  }
  const std::vector<Call> expected = simulated(served, calls);
  Origin origin(served);
  for (std::size_t i = 0; i < calls.size(); ++i) {
    const Call call = origin.call(calls[i].at, calls[i].cost);
    CHECK(call.begins == expected[i].begins && call.ends == expected[i].ends);
    CHECK(call.fails == expected[i].fails && call.queue == expected[i].queue);
  }
}

void numbers_do_not_overflow() {
  Origin origin(
      {.places = 1, .down = {}, .paces = {{0, 1'000'000'000, 1}}, .fails_after = kLongestSpan});
  for (int i = 0; i < 10; ++i) CHECK(origin.call(kLatest, kMostCost).ends == kNever);
}

void failures_are_kept_for_a_while() {
  Failures failures;
  failures.keep(3, 10);
  failures.keep(5, 20);
  CHECK(failures.has(3, 9) && !failures.has(3, 10) && failures.has(5, 10) && !failures.has(4, 0));
  failures.forget(3);
  CHECK(!failures.has(3, 9));
  failures.forget_if([](Id slot) { return slot == 5; });
  CHECK(!failures.has(5, 10));
}

}  // namespace

int main() {
  std::mt19937 random(5);
  heap_is_one(random);
  for (int i = 0; i < 3'000; ++i) calls_are_served_in_order(random);
  numbers_do_not_overflow();
  failures_are_kept_for_a_while();
  std::puts("origin: passed");
}
