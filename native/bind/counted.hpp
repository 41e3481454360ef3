// bind/counted.hpp: what a replay of a trace, or of a part of it, counted, as a Python class.
#pragma once

#include <utility>

#include "vestigo/ledger.hpp"

namespace vestigo::bind {

class BoundCounted {
 public:
  explicit BoundCounted(Ledger ledger) : ledger_(std::move(ledger)) {}

  const Ledger& ledger() const { return ledger_; }

 private:
  Ledger ledger_;
};

}  // namespace vestigo::bind
