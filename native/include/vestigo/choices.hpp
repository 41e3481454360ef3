// vestigo/choices.hpp: rules whose value is one of a few words. Each is an enum, and Python sees
// the same words.
#pragma once

#include <array>
#include <cstdint>

namespace vestigo {

enum class Nulls : std::uint8_t { skip, keep, blind };
enum class LifetimeFrom : std::uint8_t { stored, asked };
enum class OnWrite : std::uint8_t { leave, drop, replace };
enum class Overlap : std::uint8_t { repeat, join };
enum class Per : std::uint8_t { all, node, scope };
enum class TellNodes : std::uint8_t { nothing, drop, copy };
enum class Collect : std::uint8_t { touch, prompt, every };

// Loads end when they begin, or take their time. For the ceilings (see docs/semantics.md) they end
// at once, but a clear spares what a load under way could bring back. Loads that an origin serves
// take their time, and can have to wait for it.
enum class Loading : std::uint8_t { instant, timed, spared, served };

// The words of each, in the order of its values.
template <class Choice>
constexpr auto words_of = nullptr;
template <>
inline constexpr auto words_of<Nulls> = std::to_array<const char*>({"skip", "keep", "blind"});
template <>
inline constexpr auto words_of<LifetimeFrom> = std::to_array<const char*>({"stored", "asked"});
template <>
inline constexpr auto words_of<OnWrite> = std::to_array<const char*>({"leave", "drop", "replace"});
template <>
inline constexpr auto words_of<Overlap> = std::to_array<const char*>({"repeat", "join"});
template <>
inline constexpr auto words_of<Per> = std::to_array<const char*>({"all", "node", "scope"});
template <>
inline constexpr auto words_of<TellNodes> = std::to_array<const char*>({"nothing", "drop", "copy"});
template <>
inline constexpr auto words_of<Collect> = std::to_array<const char*>({"touch", "prompt", "every"});
template <>
inline constexpr auto words_of<Loading> =
    std::to_array<const char*>({"instant", "timed", "spared", "served"});

}  // namespace vestigo
