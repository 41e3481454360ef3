// vestigo/rules.hpp: how one look-up is cached, as plain numbers. rules.def lists the rules.
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>

#include "choices.hpp"
#include "columns.hpp"
#include "entry.hpp"
#include "numbers.hpp"

namespace vestigo {

enum class Eviction : std::uint8_t {
#define VESTIGO_POLICY(name, Class, keeps_notes) Class,
#include "policies.def"
};
constexpr std::array kPolicyNames{
#define VESTIGO_POLICY(name, Class, keeps_notes) name,
#include "policies.def"
};
constexpr std::size_t kPolicies = kPolicyNames.size();
using PolicyNumbers = std::array<std::int64_t, 3>;

// The rules of the room that entries share, and of evictions from it.
struct PoolRules {
#define VESTIGO_POOL_RULE(type, name, usual, bounds) type name = usual;
#include "rules.def"

  bool evicts_by(Eviction policy) const { return eviction == static_cast<std::uint8_t>(policy); }
};

struct Rules {
#define VESTIGO_RULE(type, name, usual, bounds) type name = usual;
#include "rules.def"

  bool keeps(Id stretch) const { return !is_null(stretch) || nulls != Nulls::skip; }

  // The entry was used, so its sliding lifetime begins anew.
  void use(Entry& entry, Time now) const { entry.dies_at = std::min(entry.ages_at, now + sliding); }

  // A null that the caller cannot tell from "not in the cache".
  bool hides(Id stretch) const { return is_null(stretch) && nulls == Nulls::blind; }
};

// Rules that look at single values and loads.
struct ValueRules {
#define VESTIGO_VALUE_RULE(type, name, usual, bounds) type name = usual;
#include "rules.def"

  friend bool operator==(const ValueRules&, const ValueRules&) = default;
};

}  // namespace vestigo
