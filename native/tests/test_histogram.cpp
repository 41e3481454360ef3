// A bin's value is within 0.4% of everything in it, and bins follow the order of what they hold.
#include <map>
#include <random>
#include <vector>

#include "check.hpp"
#include "vestigo/histogram.hpp"

using vestigo::Histogram;
using vestigo::Time;

namespace {

std::map<Time, std::uint32_t> spans_of(const Histogram& histogram) {
  std::map<Time, std::uint32_t> found;
  Time last = -1;
  histogram.each([&](Time span, std::uint32_t times) {
    CHECK(span > last);
    last = span;
    found[span] = times;
  });
  return found;
}

void is_exact_while_few_spans_occur(std::mt19937_64& random, std::size_t distinct) {
  std::vector<Time> spans;
  while (spans.size() < distinct) spans.push_back(static_cast<Time>(random() >> (1 + random() % 63)));
  std::map<Time, std::uint32_t> plain;
  Histogram histogram;
  for (int i = 0; i < 5000; ++i) {
    const Time span = spans[random() % distinct];
    histogram.add(span);
    ++plain[span];
  }
  CHECK(spans_of(histogram) == plain);
}

// Before and after it holds more than a few.
void subtracts_what_was_before(std::mt19937_64& random) {
  for (int i = 0; i < 200; ++i) {
    Histogram before, all, rest;
    const auto add = [&](Histogram& one, unsigned times) {
      for (unsigned k = 0; k < times; ++k) {
        const Time span = static_cast<Time>(random() % (1U << (random() % 30)));
        one.add(span);
        all.add(span);
      }
    };
    add(before, random() % 150);
    add(rest, random() % 150);
    Histogram left = all;
    left.subtract(before);
    std::uint64_t count = 0, expected = 0;
    for (const auto& [span, times] : spans_of(left)) count += times;
    for (const auto& [span, times] : spans_of(rest)) expected += times;
    CHECK(count == expected);
    rest.add(before);
    if (spans_of(all).size() <= Histogram::kFew) CHECK(spans_of(rest) == spans_of(all));
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
  subtracts_what_was_before(random);
  std::puts("histogram: passed");
}
