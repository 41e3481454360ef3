// vestigo/columns.hpp: the events of a trace as the replay reads them, one column an attribute.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

#include "numbers.hpp"

namespace vestigo {

// What kind of event a row is, with flags for the rare cases. A plain read is 0.
enum Mark : std::uint8_t {
  kRead = 0,
  kWrite = 1,    // the value column says whether it wrote a null (a remove)
  kClear = 2,    // the value column holds the look-up, or kNone for all
  kRestart = 3,
  kPreload = 4,  // the application loads the key, whether it is held or not
  kOp = 7,       // mask of the above
  kForced = 8,   // the caller asked for a fresh value
  kNames = 16,   // this row gives the present value its name: no change, the old id means the new one
};

// When each read that takes time would end if it loaded, in order; those of a tie in the order of events. The
// place in this order is a load's name. Those that the batch before could leave under way are among them.
struct Ends {
  std::size_t count = 0;
  const Time* at = nullptr;   // one more than `count`: the last is kNever
  const Id* key = nullptr;    // likewise
  const Id* place = nullptr;  // of each event among these
  Id carried_from = 0;            // in the batch before, all from this place on can be under way when it is over
  std::span<const Id> carried{};  // their places here
};

// A batch of a trace's events, or all of them. Read-only, in time order. `key` is a valid id in every row, also where
// it means nothing.
struct Columns {
  std::size_t events = 0;
  const Time* at = nullptr;
  const Id* key = nullptr;
  const Id* value = nullptr;  // the truth of the key once this row is known (see truth.hpp)
  const std::uint8_t* mark = nullptr;
  const Bytes* size = nullptr;
  const Time* cost = nullptr;
  const std::int64_t* next_read = nullptr;  // the number of the key's next read after each event, for a policy that asks
  const Id* node = nullptr;   // of each event, and its scope; kNone where it names none
  const Id* scope = nullptr;
  Ends ends{};
};

}  // namespace vestigo
