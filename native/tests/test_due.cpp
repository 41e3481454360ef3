// The queue gives back what is due in the order of time, then of arrival, like a sorted list would.
#include <map>
#include <random>
#include <utility>

#include "check.hpp"
#include "vestigo/due.hpp"

using namespace vestigo;

namespace {

void against_sorted_list(unsigned seed, int shift, Time reach) {
  std::mt19937_64 random(seed);
  DueQueue queue(shift);
  std::map<std::pair<Time, int>, Id> sorted;
  std::vector<Id> free;
  for (Id slot = 0; slot < 300; ++slot) free.push_back(slot);
  Time now = -1'000'000;
  for (int step = 0; step < 20'000; ++step) {
    now += static_cast<Time>(random() % 3) * static_cast<Time>(random() % (1 + static_cast<std::uint64_t>(reach) / 50));
    while (!sorted.empty() && sorted.begin()->first.first <= now) {
      CHECK(queue.next() <= sorted.begin()->first.first);
      CHECK(queue.pop(now).slot == sorted.begin()->second);
      free.push_back(sorted.begin()->second);
      sorted.erase(sorted.begin());
    }
    CHECK(queue.pop(now).slot == kNone);
    CHECK(queue.size() == sorted.size());
    if (random() % 5000 == 0) {
      queue.clear();
      for (const auto& [when, slot] : sorted) free.push_back(slot);
      sorted.clear();
    }
    if (free.empty() || random() % 4 == 0) continue;
    const Time at = now + 1 + static_cast<Time>(random() % static_cast<std::uint64_t>(reach));
    queue.push(free.back(), at, now);
    sorted[{at, step}] = free.back();
    free.pop_back();
  }
}

}  // namespace

int main() {
  for (unsigned seed = 0; seed < 20; ++seed) {
    for (const int shift : {0, 1, 6, 20, 40}) {
      for (const Time reach : {Time{2}, Time{100}, Time{5'000}, Time{1} << 40}) against_sorted_list(seed, shift, reach);
    }
  }
  std::puts("due: passed");
}
