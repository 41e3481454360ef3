// vestigo/witness/answers.hpp: the answer to each read, one column for each attribute. docs/why.md.
#pragma once

#include <cstddef>
#include <cstdint>

#include "../entry.hpp"

namespace vestigo {

// The columns of one batch, to be written. Rows that are not reads stay as they are.
struct Answers {
  std::uint8_t* answer = nullptr;  // kHitAnswer, kJoinedAnswer, a number after these for the
                                   // cause of a miss, or kFailedAnswer; plus kNullAnswer
  Time* took = nullptr;
  Time* age = nullptr;  // for a hit, the time since its value was loaded or written

  static constexpr std::uint8_t kHitAnswer = 0, kJoinedAnswer = 1, kMissAnswer = 2,
                                kFailedAnswer = kMissAnswer + kCauses, kNullAnswer = 0x80;

  void put(std::size_t i, std::uint8_t what, bool null, Time read_took, Time age_of_hit) const {
    answer[i] = static_cast<std::uint8_t>(what | (null ? kNullAnswer : 0));
    took[i] = read_took;
    age[i] = age_of_hit;
  }
};

// A stale hit or join, with the time since the change. There are few.
struct StaleAnswer {
  std::uint32_t row;
  Time age;
};

constexpr Time kNoAge = -1;

}  // namespace vestigo
