// bind/counted.hpp: what a replay of a trace, or of a part of it, counted, as a Python class.
#pragma once

#include <utility>

#include "vestigo/ledger.hpp"

namespace vestigo::bind {

class BoundCounted {
 public:
  explicit BoundCounted(Ledger ledger) : ledger_(std::move(ledger)) {}

  const Ledger& ledger() const { return ledger_; }

  // Forgets which spans of time occurred in which slice, but for those before `until` and after.
  void join_slices(std::size_t until) { ledger_.join_bins(until); }

 private:
  Ledger ledger_;
};

}  // namespace vestigo::bind
