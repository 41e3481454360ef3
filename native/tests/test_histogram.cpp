// A bin's value is within 0.4% of everything in it, and bins follow the order of what they hold.
#include <random>

#include "check.hpp"
#include "vestigo/histogram.hpp"

using vestigo::Histogram;
using vestigo::Time;

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
  Histogram all, part;
  all.add(1000, 3);
  part.add(1000);
  all.subtract(part);
  CHECK(all.counts()[Histogram::bin(1000)] == 2);
  std::puts("histogram: passed");
}
