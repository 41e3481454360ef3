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
  kClear = 2,
  kRestart = 3,
  kPreload = 4,  // the application loads the key, whether it is held or not
  kElsewhere = 5,  // a write that no cache of the trace is written from
  kOp = 7,       // mask of the above
  kForced = 8,   // the caller asked for a fresh value
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

// The stretches between two changes of a key, of all keys. Worked out before the replay (see truth.hpp): a replay follows no
// change, it looks up when the stretch in which a value was loaded ended.
struct Stretches {
  const Time* ends = nullptr;  // when the value gave way to another; kNever, if it did not
  const Id* values = nullptr;  // what it was, by the name that it has in the end

  static std::size_t place(Id stretch) { return static_cast<std::size_t>(stretch < 0 ? ~stretch : stretch); }
  Time end(Id stretch) const { return ends[place(stretch)]; }
  Id value(Id stretch) const { return values[place(stretch)]; }
};

constexpr bool is_null(Id stretch) { return stretch < 0; }

// A batch of a trace's events, or all of them. Read-only, in time order. `key` is a valid id in every row, also where
// it means nothing: of a key, or where nodes have caches of their own, of a key on a node.
struct Columns {
  std::size_t events = 0;
  const Time* at = nullptr;
  const Id* key = nullptr;
  const Id* stretch = nullptr;  // of the key's truth once this row is known; negative where that is null
  const Id* value = nullptr;    // that truth, by the name it has so far; of a clear, the look-up, or kNone for all
  const std::uint8_t* mark = nullptr;
  const Bytes* size = nullptr;
  const Time* cost = nullptr;
  const Id* node = nullptr;   // of each event, and its scope; kNone where it names none
  const Id* scope = nullptr;
  const std::int64_t* next_read = nullptr;  // the number of the key's next read after each event, for a policy that asks
  Ends ends{};
  Stretches stretches{};

  // Whether what was loaded in a stretch is another value than the truth at a row.
  bool is_stale(Id loaded_in, std::size_t row) const {
    return loaded_in != stretch[row] && stretches.value(loaded_in) != value[row];
  }
};

}  // namespace vestigo
