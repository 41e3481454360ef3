// Ends of loads in order, and the rows that stays take, each beside the plain way to find them.
#include <map>
#include <random>

#include "check.hpp"
#include "vestigo/ends.hpp"
#include "vestigo/stays.hpp"

using namespace vestigo;

namespace {

// Rows with reads, some of which take time: most a little, some of them very long.
struct Rows {
  std::vector<Time> at, cost;
  std::vector<std::uint8_t> mark;
  std::vector<Id> key;

  Rows(std::mt19937& random, std::size_t count, Time begin) {
    Time now = begin;
    for (std::size_t i = 0; i < count; ++i) {
      at.push_back(now += random() % 3);
      cost.push_back(random() % 5 == 0 ? 0 : random() % (random() % 50 == 0 ? 20'000 : 40));
      mark.push_back(random() % 10 == 0 ? kWrite : kRead);
      key.push_back(static_cast<Id>(random() % 7));
    }
  }
  Columns columns() const {
    return {.events = at.size(),
            .at = at.data(),
            .key = key.data(),
            .mark = mark.data(),
            .cost = cost.data()};
  }
};

// The ends of the rows' own loads, and of those before that are not over.
std::vector<std::pair<Time, Id>> plain_ends(const Rows& rows, const Ends& before, Time over) {
  std::vector<std::pair<Time, Id>> ends;
  for (std::size_t i = 0; i < before.count; ++i) {
    if (before.at[i] > over) ends.emplace_back(before.at[i], before.key[i]);
  }
  for (std::size_t i = 0; i < rows.at.size(); ++i) {
    if (rows.mark[i] == kRead && rows.cost[i] > 0)
      ends.emplace_back(rows.at[i] + rows.cost[i], rows.key[i]);
  }
  std::stable_sort(ends.begin(), ends.end(),
                   [](const auto& a, const auto& b) { return a.first < b.first; });
  return ends;
}

void ends_are_in_order(std::mt19937& random, std::size_t count) {
  const Rows first(random, count, 0), second(random, count, first.at.back());
  const EndsInOrder before(first.columns());
  const EndsInOrder both(second.columns(), before.ends(), first.at.back());
  const auto check = [](const Ends& ends, const std::vector<std::pair<Time, Id>>& expected) {
    CHECK(ends.count == expected.size() && ends.at[ends.count] == kNever);
    for (std::size_t i = 0; i < ends.count; ++i)
      CHECK(ends.at[i] == expected[i].first && ends.key[i] == expected[i].second);
  };
  check(before.ends(), plain_ends(first, {}, kNever));
  check(both.ends(), plain_ends(second, before.ends(), first.at.back()));
  for (std::size_t i = 0; i < count; ++i) {
    if (second.mark[i] == kRead && second.cost[i] > 0)
      CHECK(both.ends().at[both.ends().place[i]] == second.at[i] + second.cost[i]);
  }
}

void stays_begin_when_the_entry_can_have_come(std::mt19937& random, std::size_t count) {
  const Rows rows(random, count, 0);
  Stays stays(rows.at);
  std::map<std::pair<Id, Id>, std::int64_t> plain;
  for (std::size_t i = 0; i < count; ++i) {
    const Id owner = static_cast<Id>(random() % 3);
    const auto row = static_cast<std::int64_t>(i);
    const Time comes = rows.at[i] + rows.cost[i];
    const auto came = std::lower_bound(rows.at.begin(), rows.at.end(), comes) - rows.at.begin();
    const auto [held, is_new] = plain.try_emplace({rows.key[i], owner}, -1);
    CHECK(stays.see({.key = rows.key[i], .owner = owner, .row = row, .comes = comes}) ==
          held->second);
    held->second = std::max({held->second, row, std::int64_t{came}});
  }
}

}  // namespace

int main() {
  std::mt19937 random(5);
  for (const std::size_t count : {1u, 2u, 50u, 1024u, 5000u}) {
    ends_are_in_order(random, count);
    stays_begin_when_the_entry_can_have_come(random, count);
  }
  std::puts("ends: passed");
}
