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
    ask([=](auto& policy) { policy.arriving(id, bytes); });
  }
  void placed(Id id, Time cost, Time now) {
    ask([=](auto& policy) { policy.placed(id, cost, now); });
  }
  void hit(Id id, Time now) {
    ask([=](auto& policy) { policy.hit(id, now); });
  }
  void left(Id id) {
    ask([=](auto& policy) { policy.left(id); });
  }
  Id evict() {
    return ask([](auto& policy) { return policy.evict(); });
  }
  Id any() {
    return ask([](auto& policy) { return policy.any(); });
  }

 private:
  // The commonest without a call.
  template <class Question>
  [[gnu::always_inline]] std::invoke_result_t<Question, Lru&> ask(Question question) {
    if (auto* const lru = std::get_if<Lru>(&policy_)) return question(*lru);
    return std::visit(question, policy_);
  }

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
