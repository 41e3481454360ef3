// vestigo/draw.hpp: random numbers that both engines draw alike.
//
// SplitMix64: G. L. Steele, D. Lea, C. H. Flood, "Fast splittable pseudorandom number generators",
// OOPSLA 2014.
#pragma once

#include "numbers.hpp"

namespace vestigo {

constexpr std::uint64_t kStep = 0x9E3779B97F4A7C15;  // from one state of a sequence to the next

inline std::uint64_t mix(std::uint64_t state) {
  state = (state ^ (state >> 30)) * 0xBF58476D1CE4E5B9;
  state = (state ^ (state >> 27)) * 0x94D049BB133111EB;
  return state ^ (state >> 31);
}

// A whole number from 0 to below `end`.
inline std::uint64_t draw_below(std::uint64_t random, std::uint64_t end) {
  return static_cast<std::uint64_t>((UInt128{random} * end) >> 64);
}

// By how much a value's lifetime falls short. It is drawn by the key, by the number of the
// compartment, and by how many of the key's values were kept there before.
inline Time draw_shortfall(Id key, Id compartment, std::uint64_t kept_before, Time most) {
  const std::uint64_t place = mix(static_cast<std::uint64_t>(key) + kStep) +
                              static_cast<std::uint64_t>(compartment) * kStep;
  const std::uint64_t random = mix(mix(place) + kept_before * kStep);
  return static_cast<Time>(draw_below(random, static_cast<std::uint64_t>(most) + 1));
}

}  // namespace vestigo
