// vestigo/full/calls.hpp: origin calls that several loads share.
#pragma once

#include <algorithm>
#include <optional>

#include "../id_map.hpp"

namespace vestigo::full {

class Calls {
 public:
  // How much longer the call under way takes because of one more load. There is no value if a new
  // call begins, because `who` began none within the `window` before.
  std::optional<Time> share(std::uint64_t who, Time now, Time window, Time cost) {
    Call* const call = begun_.find(who);
    if (call == nullptr || now - call->began >= window) {
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
  struct Call {
    Time began, longest;
  };
  Map<std::uint64_t, Call> begun_;
};

}  // namespace vestigo::full
