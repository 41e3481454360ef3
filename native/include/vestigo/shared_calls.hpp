// vestigo/shared_calls.hpp: origin calls that several loads share.
#pragma once

#include <algorithm>
#include <optional>
#include <vector>

#include "id_map.hpp"

namespace vestigo {

class SharedCalls {
 public:
  // Who begins calls: a look-up for a scope, or for a node.
  static std::uint64_t who(Id lookup, Id by) {
    return static_cast<std::uint64_t>(lookup) << 32 | static_cast<std::uint32_t>(by);
  }

  // How much longer the call under way takes because of one more load. There is no value if a new
  // call begins, because `who` began none within the `window` before.
  std::optional<Time> share(std::uint64_t who, Time now, Time window, Time cost) {
    Call* const call = begun_.find(who);
    if (call == nullptr || now - call->began >= window) {
      longest_window_ = std::max(longest_window_, window);
      if (begun_.size() >= kept_) forget_over(now);
      begun_.set(who, {now, cost});
      return std::nullopt;
    }
    const Time more = std::max(cost - call->longest, Time{0});
    call->longest += more;
    return more;
  }

  std::size_t size() const { return begun_.size(); }
  void forget(std::uint64_t who) { begun_.erase(who); }

 private:
  static constexpr std::size_t kFewest = 1024;
  struct Call {
    Time began, longest;
  };

  // Forgets the calls that nothing can share any more, from time to time.
  void forget_over(Time now) {
    std::vector<std::uint64_t> over;
    begun_.each([&](std::uint64_t who, const Call& call) {
      if (now - call.began >= longest_window_) over.push_back(who);
    });
    for (const std::uint64_t who : over) begun_.erase(who);
    kept_ = std::max(kFewest, 2 * begun_.size());
  }

  Map<std::uint64_t, Call> begun_;
  Time longest_window_ = 0;
  std::size_t kept_ = kFewest;
};

}  // namespace vestigo
