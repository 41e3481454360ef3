// tests/test_curve.cpp: depths are those of a plain list, whatever is used and forgotten, also when
// positions are taken anew; and stretches of time that are taken apart add up to the whole.
#include <algorithm>
#include <random>
#include <utility>
#include <vector>

#include "check.hpp"
#include "random_case.hpp"
#include "vestigo/curve.hpp"

using namespace vestigo;

namespace {

void follows_a_list(std::uint64_t seed) {
  std::mt19937_64 random(seed);
  const std::size_t keys = 1 + random() % 60;
  Recency recency(keys);
  std::vector<std::pair<Id, Bytes>> list;  // latest first
  for (Time now = 0; now < 5000; ++now) {
    const auto key = static_cast<Id>(random() % keys);
    const auto found =
        std::find_if(list.begin(), list.end(), [=](const auto& one) { return one.first == key; });
    Bytes bytes = 0;
    for (auto one = list.begin(); found != list.end() && one <= found; ++one) bytes += one->second;
    const Recency::Depth depth = recency.depth(key);
    CHECK(depth.entries == (found == list.end() ? 0 : found - list.begin() + 1));
    CHECK(depth.bytes == bytes);
    if (found != list.end()) list.erase(found);
    if (random() % 50 == 0) {
      recency.forget(key);
    } else {
      const auto size = static_cast<Bytes>(random() % 1000);
      recency.use(key, size, now);
      list.insert(list.begin(), {key, size});
    }
    if (random() % 500 == 0) {
      recency.forget_where([](Id id) { return id % 3 == 0; });
      std::erase_if(list, [](const auto& one) { return one.first % 3 == 0; });
    }
  }
}

void stretches_add_up(std::mt19937& random) {
  const Id keys = 1 + static_cast<Id>(random() % 30);
  Events events = random_events(random, 300, keys, 2, false);
  CurveSetting setting{.chosen = {1, static_cast<std::uint8_t>(random() % 2)},
                       .overhead = static_cast<Bytes>(random() % 3),
                       .replaces = random() % 2 == 0,
                       .entries = {1, 5, 20},
                       .sliding = {3, 30}};
  const bool on_nodes = random() % 2 == 0;
  const OnNodes entries = on_nodes ? put_on_nodes(events, keys, 2) : OnNodes{};
  const std::size_t count = on_nodes ? entries.keys.size() : static_cast<std::size_t>(keys);
  for (std::size_t entry = 0; entry < count; ++entry) {
    setting.entry_lookups.push_back(static_cast<Id>(entry) % keys % 2);
    if (on_nodes) setting.entry_nodes.push_back(entries.nodes[entry]);
  }
  const std::size_t end = events.at.size(), counted = random() % end;
  const Batch batch(events, 0, end, nullptr);
  Curve whole(setting);
  whole.feed(batch.columns, 0, end, counted);

  std::size_t cut = random() % end;
  Curve first(setting);
  first.feed(batch.columns, 0, cut, counted);
  while (cut < end) {
    const std::size_t next = cut + 1 + random() % (end - cut);
    Curve later(setting, true);
    later.feed(batch.columns, cut, next, counted);
    CHECK(first.can_take(later) && !later.can_take(first));
    first.take_later(later, next == end);
    cut = next;
  }
  CHECK(first.reads() == whole.reads() && first.by_entries() == whole.by_entries());
  CHECK(first.by_bytes() == whole.by_bytes() && first.surface() == whole.surface());
}

}  // namespace

int main() {
  for (std::uint64_t seed = 0; seed < 40; ++seed) follows_a_list(seed);
  std::mt19937 random(3);
  for (int i = 0; i < 500; ++i) stretches_add_up(random);
  std::puts("curve: passed");
}
