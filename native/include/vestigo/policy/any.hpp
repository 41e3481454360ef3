// vestigo/policy/any.hpp: whatever policy each pool has, chosen when the plan is read.
//
// Slower than one policy for all, which the compiler sees through; so the replay has that for the commonest ones.
#pragma once

#include <utility>
#include <variant>

#include "arc.hpp"
#include "belady.hpp"
#include "clock.hpp"
#include "fifo.hpp"
#include "gdsf.hpp"
#include "lfu.hpp"
#include "lfu_da.hpp"
#include "lirs.hpp"
#include "lru.hpp"
#include "lru_k.hpp"
#include "mru.hpp"
#include "random.hpp"
#include "s3_fifo.hpp"
#include "sieve.hpp"
#include "slru.hpp"
#include "two_q.hpp"
#include "w_tiny_lfu.hpp"

namespace vestigo::policy {

class Any {
 public:
  static constexpr bool moves_on_hit = true, keeps_notes = true;

  explicit Any(const Home& home) : policy_(made(home)) {}
  void coming(Id id, std::int64_t next) {
    if (auto* const belady = std::get_if<Belady>(&policy_)) belady->coming(id, next);
  }
  void arriving(Id id, Bytes bytes) {
    std::visit([=](auto& policy) { policy.arriving(id, bytes); }, policy_);
  }
  void placed(Id id, Time cost, Time now) {
    std::visit([=](auto& policy) { policy.placed(id, cost, now); }, policy_);
  }
  void hit(Id id, Time now) {
    std::visit([=](auto& policy) { policy.hit(id, now); }, policy_);
  }
  void left(Id id) {
    std::visit([=](auto& policy) { policy.left(id); }, policy_);
  }
  Id evict() {
    return std::visit([](auto& policy) { return policy.evict(); }, policy_);
  }
  Id any() const {
    return std::visit([](const auto& policy) { return policy.any(); }, policy_);
  }

 private:
  // In the order of Eviction.
  using Policy = std::variant<Lru, Fifo, Mru, Random, Clock, Sieve, Lfu, LfuDa, LruK, Slru, TwoQ, Arc, Lirs, S3Fifo, WTinyLfu, Gdsf, Belady>;
  static_assert(std::variant_size_v<Policy> == kPolicies);

  template <std::size_t kind = 0>
  static Policy made(const Home& home) {
    if constexpr (kind + 1 < std::variant_size_v<Policy>) {
      if (static_cast<std::size_t>(home.eviction) != kind) return made<kind + 1>(home);
    }
    return Policy(std::in_place_index<kind>, home);
  }

  Policy policy_;
};

}  // namespace vestigo::policy
