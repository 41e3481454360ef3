// vestigo/full/calls.hpp: origin calls that several loads share.
#pragma once

#include <optional>
#include <unordered_map>

#include "../numbers.hpp"

namespace vestigo::full {

class Calls {
 public:
  // How much longer the call under way takes for one more; none if a call begins, since `who` began none within `window` before.
  std::optional<Time> share(std::uint64_t who, Time now, Time window, Time cost) {
    const auto [place, is_new] = begun_.try_emplace(who, Call{now, cost});
    Call& call = place->second;
    if (is_new || now - call.began >= window) {
      call = {now, cost};
      return std::nullopt;
    }
    const Time more = std::max(cost - call.longest, Time{0});
    call.longest += more;
    return more;
  }

  void forget(std::uint64_t who) { begun_.erase(who); }

 private:
  struct Call {
    Time began, longest;
  };
  std::unordered_map<std::uint64_t, Call> begun_;
};

}  // namespace vestigo::full
