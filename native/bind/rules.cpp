// bind/rules.cpp: the rules as Python classes, made from rules.def, choices.hpp and policies.def.
#include "rules.hpp"

#include <nanobind/stl/array.h>

#include <algorithm>
#include <string>

#include "vestigo/policy/any.hpp"

namespace vestigo::bind {
namespace {

// The bounds of a rule's number, by the names in rules.def.
namespace bounds {
bool lifetime(Time value) { return value == kNever || (value >= 0 && value <= kLongestSpan); }
bool span(Time value) { return value >= 0 && value <= kLongestSpan; }
bool step(Time value) { return value > 0 && lifetime(value); }
bool overhead(Bytes value) { return value >= 0 && value <= Bytes{1} << 28; }
bool entries(std::int64_t value) { return value >= 1 && value <= kNever; }
bool limit(Bytes value) { return value >= 0 && value <= kNever; }
bool part(std::int64_t value) { return value >= 0 && value <= INT64_MAX / 2; }
bool policy(std::size_t place) { return place < kPolicies; }
bool numbers(const PolicyNumbers& values) {
  return std::all_of(values.begin(), values.end(), [](std::int64_t value) { return value >= 0; });
}
template <class T>
bool any(const T&) {
  return true;
}
}  // namespace bounds

// An enum with its words.
template <class Choice>
void bind_choice(nb::module_& m, const char* name) {
  nb::enum_<Choice> choice(m, name);
  std::uint8_t place = 0;
  for (const char* word : words_of<Choice>) choice.value(word, static_cast<Choice>(place++));
}

}  // namespace

void check(const full::GroupRules& rules) {
#define VESTIGO_RULE(type, name, usual, within) \
  if (!bounds::within(rules.name)) refuse(#name " is out of range");
#define VESTIGO_EVERY_RULE
#include "vestigo/rules.def"
  if (rules.jitter > rules.absolute || rules.null_jitter > rules.null_lifetime ||
      (rules.jitter == 0 && rules.null_jitter > 0))
    refuse("a jitter is out of range");
  if (rules.reload_to < rules.reload_of) refuse("a share is out of range");
}

void check(const PoolRules& rules) {
#define VESTIGO_POOL_RULE(type, name, usual, within) \
  if (!bounds::within(rules.name)) refuse(#name " is out of range");
#include "vestigo/rules.def"
  if (!policy::accepts(rules.eviction, rules.eviction_numbers))
    refuse("a policy's parameter is out of range");
}

void bind_rules(nb::module_& m) {
  bind_choice<Nulls>(m, "Nulls");
  bind_choice<LifetimeFrom>(m, "LifetimeFrom");
  bind_choice<OnWrite>(m, "OnWrite");
  bind_choice<Overlap>(m, "Overlap");
  bind_choice<Per>(m, "Per");
  bind_choice<TellNodes>(m, "TellNodes");
  bind_choice<Collect>(m, "Collect");
  bind_choice<Loading>(m, "Loading");

  nb::class_<full::GroupRules>(m, "GroupRules").def(nb::init<>())
#define VESTIGO_RULE(type, name, usual, within) .def_rw(#name, &full::GroupRules::name)
#define VESTIGO_EVERY_RULE
#include "vestigo/rules.def"
      ;
  nb::class_<PoolRules>(m, "PoolRules").def(nb::init<>())
#define VESTIGO_POOL_RULE(type, name, usual, within) .def_rw(#name, &PoolRules::name)
#include "vestigo/rules.def"
      ;
}

}  // namespace vestigo::bind
