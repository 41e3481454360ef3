// vestigo/numbers.hpp: the number types of the kernel, and the bounds that keep them from
// overflowing.
//
// What comes from Python is checked against these bounds once (native/bind). After that no sum in
// the kernel can overflow. Times and lifetimes are sums of at most two such values, the costs of a
// trace fit in 64 bits, and other sums over a trace (byte-nanoseconds, waiting times) are kept in
// 128 bits.
#pragma once

#include <concepts>
#include <cstddef>
#include <cstdint>

namespace vestigo {

__extension__ typedef __int128 Int128;
__extension__ typedef unsigned __int128 UInt128;

using Time = std::int64_t;   // ns since the Unix epoch, or a duration in ns
using Bytes = std::int64_t;  // size of a value, or of many
using Id = std::int32_t;     // dense id of a key, a group, a load or a value; negative means none

constexpr Time kLongestSpan = 3'155'760'000'000'000'000;  // 100 years
constexpr Time kEarliest = -631'152'000'000'000'000;      // 1950-01-01
constexpr Time kLatest = 4'102'444'800'000'000'000;       // 2100-01-01
constexpr Time kNever =
    5'000'000'000'000'000'000;  // longer than any trace; any time plus this still fits
static_assert(kNever > kLatest - kEarliest && kNever < INT64_MAX - kLatest);
constexpr Bytes kMostBytes = Bytes{1} << 61;  // events x largest size, at most
constexpr Time kMostCost = Time{1} << 62;     // all costs of a trace together, at most: 146 years

// The product of numbers that are never negative. It takes one multiplication instead of three.
inline Int128 byte_time(Bytes bytes, Time span) {
  return static_cast<Int128>(UInt128{static_cast<std::uint64_t>(bytes)} *
                             static_cast<std::uint64_t>(span));
}

constexpr Id kNone = -1;

// Where the thing with an id stands in an array. Other numbers are no ids, and do not compile.
template <std::same_as<Id> T>
constexpr std::size_t index(T id) {
  return static_cast<std::size_t>(id);
}

// The value of a key at one moment. Ids from 0 on are versions. The others are these.
constexpr Id kNullValue = -1;     // the origin has nothing
constexpr Id kUnseen = -2;        // no event of the key has come so far
constexpr Id kFirstUnnamed = -3;  // values that no row has named, numbered downwards

}  // namespace vestigo
