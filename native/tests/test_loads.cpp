// What loads under way stand on, each beside the plain container that it replaces.
#include <map>
#include <random>
#include <set>

#include "check.hpp"
#include "vestigo/id_map.hpp"
#include "vestigo/pending.hpp"

using namespace vestigo;

namespace {

void ids_are_mapped(std::mt19937& random, unsigned ids) {
  IdMap map;
  std::map<Id, Id> plain;
  for (int i = 0; i < 20'000; ++i) {
    const Id key = static_cast<Id>(random() % ids) * 64;
    if (random() % 2 == 0) {
      const Id value = static_cast<Id>(random() % 1000);
      map.set(key, value);
      plain[key] = value;
    } else if (plain.erase(key) > 0) {
      map.erase(key);
    }
    CHECK(map.size() == plain.size());
    CHECK(map.find(key) == (plain.contains(key) ? plain.at(key) : kNone));
  }
  std::size_t seen = 0;
  map.each([&](Id key, Id value) {
    CHECK(plain.at(key) == value);
    ++seen;
  });
  CHECK(seen == plain.size());
  map.clear();
  CHECK(map.size() == 0 && map.find(0) == kNone);
}

void loads_end_in_order(std::mt19937& random, std::size_t count) {
  std::vector<Time> at;
  for (std::size_t i = 0; i < count; ++i) at.push_back(static_cast<Time>(10 * i));
  at.push_back(kNever);
  const Ends ends{.count = count, .at = at.data()};
  Pending pending;
  pending.open(ends);
  CHECK(pending.next_at() == kNever);
  std::set<Id> plain;
  Id over = kNone;  // the last that has ended: those that begin now end later
  for (std::size_t i = 0; i < 4 * count; ++i) {
    const Id load = over + 1 + static_cast<Id>(random() % 100);
    if (random() % 2 == 0 && load < static_cast<Id>(count)) {
      pending.begin(ends, load);
      plain.insert(load);
    } else if (i % 1000 == 999) {
      const Id part = static_cast<Id>(random() % 3);
      std::set<Id> asked;
      pending.abandon(ends, [&](Id one) {
        asked.insert(one);
        return one % 3 != part;
      });
      CHECK(asked == plain);
      std::erase_if(plain, [=](Id one) { return one % 3 != part; });
    } else if (!plain.empty()) {
      over = pending.end(ends);
      CHECK(over == *plain.begin());
      plain.erase(plain.begin());
    }
    CHECK(pending.next_at() ==
          (plain.empty() ? kNever : at[static_cast<std::size_t>(*plain.begin())]));
  }
}

}  // namespace

int main() {
  std::mt19937 random(3);
  for (const unsigned ids : {1U, 5U, 100U, 100'000U}) ids_are_mapped(random, ids);
  for (const std::size_t count : {1UL, 63UL, 64UL, 65UL, 5000UL}) loads_end_in_order(random, count);
  std::puts("loads: passed");
}
