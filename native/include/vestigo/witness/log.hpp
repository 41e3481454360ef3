// vestigo/witness/log.hpp: what happens to chosen keys, in order.
#pragma once

#include <algorithm>
#include <cstdint>
#include <vector>

#include "../id_map.hpp"
#include "../numbers.hpp"

namespace vestigo {

enum What : std::uint8_t {
#define VESTIGO_HAPPENING(place, name) place,
#include "happenings.def"
};

struct Happening {
#define VESTIGO_HAPPENING_FIELD(type, name) type name{};
#include "happenings.def"
};

// Consecutive reads with the same kind of answer are one happening, so a popular key takes no more
// room than others.
class Log {
 public:
  // `place`: where the key is held.
  void put(Id place, const Happening& happening) {
    const auto [open, is_new] = open_.insert(place);
    if (is_new) {
      *open = static_cast<Id>(all_.size());
    } else {
      Happening& last = all_[index(*open)];
      if (is_read(happening.what) && last.what == happening.what && last.key == happening.key &&
          last.where == happening.where) {
        last.until = happening.until;
        last.span = std::max(last.span, happening.span);
        ++last.times;
        return;
      }
      *open = static_cast<Id>(all_.size());
    }
    all_.push_back(happening);
  }

  std::vector<Happening> take() { return std::move(all_); }

 private:
  static bool is_read(std::uint8_t what) {
    return what == kWasHit || what == kWasStaleHit || what == kWasJoined || what == kHasFailed;
  }

  std::vector<Happening> all_;
  IdMap open_;  // by place: its last happening
};

}  // namespace vestigo
