// A bin's value is within 0.4% of everything in it, and bins follow the order of what they hold.
#include <algorithm>
#include <array>
#include <map>
#include <random>
#include <set>
#include <utility>
#include <vector>

#include "check.hpp"
#include "vestigo/histogram.hpp"

using vestigo::Histogram;
using vestigo::Occurred;
using vestigo::Time;

namespace {

std::map<Time, std::uint32_t> map_of(const Occurred& occurred) {
  CHECK(std::is_sorted(occurred.begin(), occurred.end()));
  std::map<Time, std::uint32_t> found(occurred.begin(), occurred.end());
  CHECK(found.size() == occurred.size());
  return found;
}

void is_exact_while_few_spans_occur(std::mt19937_64& random, std::size_t distinct) {
  std::vector<Time> spans;
  while (spans.size() < distinct)
    spans.push_back(static_cast<Time>(random() >> (1 + random() % 63)));
  std::map<Time, std::uint32_t> plain;
  Histogram histogram;
  for (int i = 0; i < 5000; ++i) {
    const Time span = spans[random() % distinct];
    histogram.add(span);
    ++plain[span];
  }
  CHECK(map_of(histogram.occurred()) == plain);
}

// Slice after slice, from a few spans to many, of several look-ups.
void follows_slice_after_slice(std::mt19937_64& random) {
  std::array<Histogram, 3> parts;
  const std::array<Histogram*, 3> all{&parts[0], &parts[1], &parts[2]};
  Histogram sum;
  std::set<Time> seen;
  std::map<Time, std::uint32_t> total;
  const unsigned most = 1 + random() % 40;
  for (int i = 0; i < 60; ++i) {
    std::map<Time, std::uint32_t> exact, in_bins;
    for (unsigned k = random() % most; k > 0; --k) {
      const Time span = static_cast<Time>(random() % (1U << (random() % 30)));
      const auto times = static_cast<std::uint32_t>(1 + random() % 3);
      parts[random() % parts.size()].add(span, times);
      seen.insert(span);
      exact[span] += times;
      in_bins[Histogram::value(Histogram::bin(span))] += times;
      total[Histogram::value(Histogram::bin(span))] += times;
    }
    const bool is_exact = seen.size() <= Histogram::kFew;
    CHECK(map_of(sum.follow(all)) == (is_exact ? exact : in_bins));
    if (!is_exact) CHECK(map_of(sum.occurred()) == total);
  }
}

}  // namespace

int main() {
  std::mt19937_64 random(1);
  for (int i = 0; i < 1'000'000; ++i) {
    const Time span = static_cast<Time>(random() >> (1 + random() % 63));
    const double value = static_cast<double>(Histogram::value(Histogram::bin(span)));
    const double exact = static_cast<double>(span);
    CHECK(value >= exact * 0.996 - 0.5 && value <= exact * 1.004 + 0.5);
    CHECK(Histogram::bin(span) <= Histogram::bin(span + 1));
  }
  for (Time span = 0; span < 256; ++span) CHECK(Histogram::value(Histogram::bin(span)) == span);
  is_exact_while_few_spans_occur(random, Histogram::kFew);
  is_exact_while_few_spans_occur(random, 3);
  for (int i = 0; i < 200; ++i) follows_slice_after_slice(random);
  std::puts("histogram: passed");
}
