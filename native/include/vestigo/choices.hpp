// vestigo/choices.hpp: rules whose value is one of a few words. Each is an enum, and Python sees the same words.
#pragma once

#include <cstdint>
#include <string_view>

namespace vestigo {

#define VESTIGO_CHOICE(Name, ...)                  \
  enum class Name : std::uint8_t { __VA_ARGS__ }; \
  constexpr std::string_view words_of(Name) { return #__VA_ARGS__; }

VESTIGO_CHOICE(Nulls, skip, keep, blind)
VESTIGO_CHOICE(LifetimeFrom, stored, asked)
VESTIGO_CHOICE(OnWrite, leave, drop, replace)
VESTIGO_CHOICE(Overlap, repeat, join)
VESTIGO_CHOICE(Per, all, node, scope)
VESTIGO_CHOICE(TellNodes, nothing, drop, copy)
VESTIGO_CHOICE(Collect, touch, prompt, every)

// Loads end when they begin, or take their time. For the ceilings (see docs/semantics.md) they end at once, but a clear spares what a load under way could
// bring back.
VESTIGO_CHOICE(Loading, instant, timed, spared)

#undef VESTIGO_CHOICE

}  // namespace vestigo
