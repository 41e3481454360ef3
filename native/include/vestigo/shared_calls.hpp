// vestigo/shared_calls.hpp: origin calls that several loads share.
#pragma once

#include <algorithm>
#include <vector>

#include "id_map.hpp"

namespace vestigo {

class SharedCalls {
 public:
  // Who begins calls: a look-up for a scope, or for a node.
  static std::uint64_t who(Id lookup, Id by) {
    return static_cast<std::uint64_t>(lookup) << 32 | static_cast<std::uint32_t>(by);
  }

  struct Shared {
    Time began, served, longest;  // `served`: when it is served

    // How much longer it takes because of one more load.
    Time lengthen(Time takes) {
      const Time more = std::max(takes - longest, Time{0});
      longest += more;
      return more;
    }
  };

  // The call that one more load shares. It is null if `who` began none within the `window` before.
  Shared* under_way(std::uint64_t who, Time now, Time window) {
    Shared* const call = begun_.find(who);
    return call == nullptr || now - call->began >= window ? nullptr : call;
  }

  void begin(std::uint64_t who, Time window, const Shared& call) {
    longest_window_ = std::max(longest_window_, window);
    if (begun_.size() >= kept_) forget_over(call.began);
    begun_.set(who, call);
  }

 private:
  static constexpr std::size_t kFewest = 1024;
  // Forgets the calls that nothing can share any more, from time to time.
  void forget_over(Time now) {
    std::vector<std::uint64_t> over;
    begun_.each([&](std::uint64_t who, const Shared& call) {
      if (now - call.began >= longest_window_) over.push_back(who);
    });
    for (const std::uint64_t who : over) begun_.erase(who);
    kept_ = std::max(kFewest, 2 * begun_.size());
  }

  Map<std::uint64_t, Shared> begun_;
  Time longest_window_ = 0;
  std::size_t kept_ = kFewest;
};

}  // namespace vestigo
