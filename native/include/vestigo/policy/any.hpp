// vestigo/policy/any.hpp: any policy for each pool, chosen when the plan is read.
//
// This is slower than a single policy that the compiler knows, so the replay has its own version
// for the most common policies.
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

template <class, class... Class>  // the first is there because of the comma before the second
using OneOf = std::variant<Class...>;

using AllPolicies = OneOf<void
#define VESTIGO_POLICY(name, Class, keeps_notes) , Class
#include "../policies.def"
                          >;

#define VESTIGO_POLICY(name, Class, keeps) \
  static_assert(Class::keeps_notes == keeps, "policies.def and the class differ: " name);
#include "../policies.def"

template <class Policy>
concept Foresees = requires(Policy policy) { policy.coming(Id{}, std::int64_t{}); };

// Whether a policy, by its place in policies.def, can work with these numbers.
template <std::size_t place = 0>
bool accepts(std::size_t eviction, const PolicyNumbers& numbers) {
  if constexpr (place < std::variant_size_v<AllPolicies>) {
    using Policy = std::variant_alternative_t<place, AllPolicies>;
    if (eviction != place) return accepts<place + 1>(eviction, numbers);
    if constexpr (requires { Policy::accepts(numbers); }) return Policy::accepts(numbers);
    return true;
  }
  return false;
}

class Any {
 public:
  static constexpr bool moves_on_hit = true, keeps_notes = true;

  explicit Any(const Room& room) : policy_(made(room)) {}
  void coming(Id id, std::int64_t next) {
    const auto tell = [=]<class Policy>(Policy& policy) {
      if constexpr (Foresees<Policy>) policy.coming(id, next);
    };
    std::visit(tell, policy_);
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
  // The most common policies, without a call.
  template <class Question>
  [[gnu::always_inline]] std::invoke_result_t<Question, Lru&> ask(Question question) {
    if (auto* const lru = std::get_if<Lru>(&policy_)) return question(*lru);
    return std::visit(question, policy_);
  }

  template <std::size_t place = 0>
  static AllPolicies made(const Room& room) {
    if constexpr (place + 1 < std::variant_size_v<AllPolicies>) {
      if (room.eviction != place) return made<place + 1>(room);
    }
    return AllPolicies(std::in_place_index<place>, room);
  }

  AllPolicies policy_;
};

}  // namespace vestigo::policy
