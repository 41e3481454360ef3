// vestigo/columns.hpp: the events of a trace as the replay reads them, one column for each
// attribute.
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <span>

#include "numbers.hpp"

namespace vestigo {

// The kind of event in a row, with flags for rare cases. A plain read is 0.
enum Mark : std::uint8_t {
  kRead = 0,
  kWrite = 1,  // the column of values says whether it wrote a null (a remove)
  kClear = 2,
  kRestart = 3,
  kPreload = 4,    // the application loads the key, whether it is held or not
  kElsewhere = 5,  // a write that comes from none of the trace's caches
  kTakenOut = 6,   // the program took the key out of its own cache
  kNothing = 7,    // a moment that matters to this part of a trace; its event is another part's
  kOp = 7,         // mask of the above
  kForced = 8,     // the caller asked for a fresh value
};

// When each read that takes time would end if it loaded, in order. Equal times are in the order of
// events. The place in this order is the name of a load. Loads that the batch before can leave
// under way are among them.
struct Ends {
  std::size_t count = 0;
  const Time* at = nullptr;   // one more than `count`: the last one is kNever
  const Id* key = nullptr;    // likewise
  const Id* place = nullptr;  // the place of each event's load among these
  Id carried_from =
      0;  // the place in the batch before from which on loads can be under way at its end
  std::span<const Id> carried{};  // the places of those loads here
};

// The stretches between two changes of a key, for all keys. They are worked out before the replay
// (see truth.hpp). So a replay does not follow changes: it looks up when the stretch in which a
// value was loaded ended.
struct Stretches {
  const Time* ends = nullptr;  // when the value gave way to another, or kNever
  const Id* values = nullptr;  // the value, by the name that it has in the end

  static std::size_t place(Id stretch) {
    return static_cast<std::size_t>(stretch < 0 ? ~stretch : stretch);
  }
  Time end(Id stretch) const { return ends[place(stretch)]; }
  Id value(Id stretch) const { return values[place(stretch)]; }
};

constexpr bool is_null(Id stretch) { return stretch < 0; }

// A batch of a trace's events, or all of them, or those of a part of it; read-only and in time
// order. `key` is a valid id in every row, also where it means nothing. It is the id of a key, or
// of a key on a node where nodes have caches of their own.
struct Columns {
  std::size_t events = 0;
  const Time* at = nullptr;
  const Id* key = nullptr;
  const Id* stretch =
      nullptr;  // the stretch of the key's truth after this row; negative if that is null
  const Id* value =
      nullptr;  // that truth, by the name it has so far; for a clear, the look-up, or kNone for all
  const std::uint8_t* mark = nullptr;
  const Bytes* size = nullptr;
  const Time* cost = nullptr;
  const Id* node = nullptr;  // the node of each event, and its scope; kNone if it names none
  const Id* scope = nullptr;
  const std::int64_t* next_read =
      nullptr;  // the row of the key's next read after each event, for a policy that asks
  Ends ends{};
  Stretches stretches{};
  std::int64_t first_row = 0;  // the number that the batch's first row has in the trace
  const Id* rows = nullptr;    // for a part of a trace, how far each of its rows is from that one

  // The number of an event in the trace.
  std::int64_t row(std::size_t i) const {
    return first_row + (rows == nullptr ? static_cast<std::int64_t>(i) : rows[i]);
  }

  // How many of the events have a lower number.
  std::size_t rows_before(std::int64_t number) const {
    const std::int64_t before = number - first_row;
    if (rows != nullptr)
      return static_cast<std::size_t>(std::lower_bound(rows, rows + events, before) - rows);
    return static_cast<std::size_t>(
        std::clamp<std::int64_t>(before, 0, static_cast<std::int64_t>(events)));
  }

  // Whether a value that was loaded in a stretch differs from the truth at a row.
  bool is_stale(Id loaded_in, std::size_t row) const {
    return loaded_in != stretch[row] && stretches.value(loaded_in) != value[row];
  }
};

}  // namespace vestigo
