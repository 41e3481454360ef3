// tests/test_curve.cpp: depths are those of a plain list, whatever is used and forgotten, also when
// positions are taken anew.
#include <algorithm>
#include <random>
#include <utility>
#include <vector>

#include "check.hpp"
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

}  // namespace

int main() {
  for (std::uint64_t seed = 0; seed < 40; ++seed) follows_a_list(seed);
  std::puts("curve: passed");
}
