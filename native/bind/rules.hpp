// bind/rules.hpp: the rules as Python classes, and the checks that no rule is out of range.
#pragma once

#include <vector>

#include "array.hpp"
#include "vestigo/full/setting.hpp"

namespace vestigo::bind {

void bind_rules(nb::module_& m);  // rules.cpp

// Each raises ValueError for rules that no replay accepts.
void check(const full::GroupRules& rules);
void check(const PoolRules& rules);

}  // namespace vestigo::bind
