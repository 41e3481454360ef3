// vestigo/course.hpp: how a part of a replay went, in the detail that the whole needs: every change
// of what it held, for the peak of several parts together, and its origin calls by clock second.
#pragma once

#include <algorithm>
#include <limits>
#include <tuple>
#include <vector>

#include "large_pages.hpp"
#include "numbers.hpp"

namespace vestigo {

// What happens at one moment, in this order. First comes what falls due, then the rows of that
// moment, each with the end of its scope.
enum class Step : std::uint8_t { clear, collect, load, message, row, scope_end };

// One step of a replay. Of those of one kind, `order` says which comes first. It is the row that
// happens, or that began the load; for a collection, the key and the compartment.
struct StepAt {
  std::int64_t place = 0;  // the order, and in the last three bits the step

  StepAt() = default;
  StepAt(Step step, std::int64_t order) : place(order << 3 | static_cast<std::int64_t>(step)) {}

  Step step() const { return static_cast<Step>(place & 7); }
  std::int64_t order() const { return place >> 3; }
  bool is_row() const { return step() >= Step::row; }
  bool operator==(const StepAt&) const = default;
  bool operator<(const StepAt& other) const {
    if (is_row() != other.is_row()) return !is_row();
    return is_row() ? place < other.place
                    : std::tuple(step(), order()) < std::tuple(other.step(), other.order());
  }
};

// A change of what is held. There are many, so they are small. What does not fit is several changes
// in the same step.
struct Change {
  Time at = 0;
  StepAt step;
  std::int32_t bytes = 0;
  std::int16_t entries = 0;
  std::uint16_t lookup = 0;

  bool comes_before(const Change& other) const {
    return at != other.at ? at < other.at : step < other.step;
  }
  // Nothing is larger after this than before.
  bool only_falls() const { return bytes <= 0 && entries <= 0; }
};
static_assert(sizeof(Change) == 24);

// The origin calls that a look-up began in one clock second.
struct Calls {
  Time second = 0;          // seconds since the Unix epoch
  std::uint32_t count = 0;  // a trace has fewer events than 2^32
  std::uint16_t lookup = 0;
};

// What is held at a moment, or at most.
struct Amount {
  std::int64_t entries = 0;
  Bytes bytes = 0;

  void add(const Amount& other) {
    entries += other.entries;
    bytes += other.bytes;
  }
  void add(const Change& change) {
    entries += change.entries;
    bytes += change.bytes;
  }
  void raise(const Amount& other) {
    entries = std::max(entries, other.entries);
    bytes = std::max(bytes, other.bytes);
  }
  // Whether it is larger in any respect.
  bool exceeds(const Amount& other) const { return entries > other.entries || bytes > other.bytes; }
};

// A stretch of time in a slice: its changes end at this place, and so much is held at its end, and
// at most.
struct Block {
  std::size_t end = 0;
  Amount held, most;
};

// Changes in the order in which they were added. There can be as many as a trace has rows, so they
// are never moved to a larger place.
class Changes {
 public:
  bool empty() const { return size_ == 0; }
  std::size_t size() const { return size_; }
  const Change& operator[](std::size_t i) const { return chunks_[i / kChunk][i % kChunk]; }
  const Change& back() const { return chunks_.back().back(); }

  void push_back(const Change& change) {
    if (size_ % kChunk == 0) {
      chunks_.emplace_back();
      if (size_ > 0) chunks_.back().reserve(kChunk);
    }
    chunks_.back().push_back(change);
    ++size_;
  }
  void pop_back() {
    chunks_.back().pop_back();
    if (--size_ % kChunk == 0) chunks_.pop_back();
  }

 private:
  static constexpr std::size_t kChunk = LargeBlocks::kPage / sizeof(Change);

  std::vector<LargeVector<Change>> chunks_;
  std::size_t size_ = 0;
};

struct Course {
  std::size_t blocks_in_slice;
  std::vector<Amount> begins;  // by look-up, when counting begins
  Changes changes;
  std::vector<Calls> calls;   // ascending by second once the books are closed
  std::vector<Block> blocks;  // those of the first slice come first

  explicit Course(std::size_t in_slice) : blocks_in_slice(in_slice) {}

  void add(Time at, StepAt step, std::uint16_t lookup, std::int64_t entries, Bytes bytes) {
    do {
      const auto now = fitting<std::int16_t>(entries);
      const auto now_bytes = fitting<std::int32_t>(bytes);
      put({at, step, now_bytes, now, lookup});
      entries -= now;
      bytes -= now_bytes;
    } while (entries != 0 || bytes != 0);
  }

  // The memory that it takes.
  std::size_t bytes() const {
    return changes.size() * sizeof(Change) + calls.size() * sizeof calls[0] +
           blocks.size() * sizeof blocks[0];
  }

  // That of one look-up, not yet divided.
  Course of(std::size_t lookup) const {
    Course own(blocks_in_slice);
    own.begins = {begins[lookup]};
    for (std::size_t i = 0; i < changes.size(); ++i) {
      if (changes[i].lookup == lookup) own.changes.push_back(changes[i]);
    }
    for (const Calls& one : calls) {
      if (one.lookup == lookup) own.calls.push_back(one);
    }
    return own;
  }

  // Divides the changes into blocks, slice by slice: each goes from `begins` to `ends`.
  template <class Slices>
  void divide(const Slices& slices) {
    Amount held;
    for (const Amount& of_lookup : begins) held.add(of_lookup);
    std::size_t place = 0;
    blocks.clear();
    for (std::size_t slice = 0; slice < slices.size(); ++slice) {
      const Time from = slices[slice].begins, span = slices[slice].ends - from;
      for (std::size_t block = 1; block <= blocks_in_slice; ++block) {
        const bool is_last = slice + 1 == slices.size() && block == blocks_in_slice;
        const Time end =
            block == blocks_in_slice
                ? slices[slice].ends
                : from + span / static_cast<Time>(blocks_in_slice) * static_cast<Time>(block);
        Amount most = held;
        for (; place < changes.size() && (is_last || changes[place].at < end); ++place) {
          held.add(changes[place]);
          most.raise(held);
        }
        blocks.push_back({place, held, most});
      }
    }
  }

 private:
  // As much of a number as fits in a smaller type.
  template <class Small>
  static Small fitting(std::int64_t number) {
    return static_cast<Small>(std::clamp<std::int64_t>(number, std::numeric_limits<Small>::min(),
                                                       std::numeric_limits<Small>::max()));
  }

  // A fall and what follows it in the same step are one change: between them nothing is higher.
  void put(Change change) {
    if (!changes.empty()) {
      const Change& last = changes.back();
      const std::int64_t bytes = std::int64_t{last.bytes} + change.bytes;
      const std::int64_t entries = std::int64_t{last.entries} + change.entries;
      if (last.step == change.step && last.at == change.at && last.lookup == change.lookup &&
          last.only_falls() && fitting<std::int32_t>(bytes) == bytes &&
          fitting<std::int16_t>(entries) == entries) {
        change.bytes = static_cast<std::int32_t>(bytes);
        change.entries = static_cast<std::int16_t>(entries);
        changes.pop_back();
        if (bytes == 0 && entries == 0) return;
      }
    }
    changes.push_back(change);
  }
};

}  // namespace vestigo
