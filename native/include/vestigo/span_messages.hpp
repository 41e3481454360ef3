// vestigo/span_messages.hpp: how many spans and how many messages an OTLP request in protobuf
// holds, before objects are made of them.
//
// A message of two bytes becomes an object of some two hundred, so a small body can take gigabytes.
// Counting needs no memory. Sources: Protocol Buffers, "Encoding"; the OpenTelemetry protocol,
// trace/v1/trace.proto, common/v1 and resource/v1.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

namespace vestigo {

struct SpanMessages {
  std::size_t spans = 0;
  std::size_t messages = 0;  // all fields that hold a message, a text or bytes
};

namespace span_messages {

enum class Kind : std::uint8_t {
  kText,
  kRequest,
  kResourceSpans,
  kResource,
  kScopeSpans,
  kScope,
  kSpan,
  kEvent,
  kLink,
  kStatus,
  kEntity,
  kKeyValue,
  kValue,
  kValues,
  kPairs
};

// What a field of a message holds.
constexpr Kind held(Kind message, std::uint64_t field) noexcept {
  struct Field {
    Kind message;
    std::uint64_t field;
    Kind holds;
  };
  constexpr Field kFields[] = {
      {Kind::kRequest, 1, Kind::kResourceSpans},
      {Kind::kResourceSpans, 1, Kind::kResource},
      {Kind::kResourceSpans, 2, Kind::kScopeSpans},
      {Kind::kResource, 1, Kind::kKeyValue},
      {Kind::kResource, 3, Kind::kEntity},
      {Kind::kScopeSpans, 1, Kind::kScope},
      {Kind::kScopeSpans, 2, Kind::kSpan},
      {Kind::kScope, 3, Kind::kKeyValue},
      {Kind::kSpan, 9, Kind::kKeyValue},
      {Kind::kSpan, 11, Kind::kEvent},
      {Kind::kSpan, 13, Kind::kLink},
      {Kind::kSpan, 15, Kind::kStatus},
      {Kind::kEvent, 3, Kind::kKeyValue},
      {Kind::kLink, 4, Kind::kKeyValue},
      {Kind::kKeyValue, 2, Kind::kValue},
      {Kind::kValue, 5, Kind::kValues},
      {Kind::kValue, 6, Kind::kPairs},
      {Kind::kValues, 1, Kind::kValue},
      {Kind::kPairs, 1, Kind::kKeyValue},
  };
  for (const Field& one : kFields) {
    if (one.message == message && one.field == field) return one.holds;
  }
  return Kind::kText;
}

inline constexpr int kDeepest = 100;  // as readers of protobuf have it

class Counting {
 public:
  SpanMessages found;

  // Counts what the bytes hold. What is no protobuf ends the count; whoever reads the message
  // refuses it.
  void count(std::span<const std::uint8_t> bytes, Kind message, int depth) noexcept {
    while (!bytes.empty()) {
      std::uint64_t tag = 0, size = 0;
      if (!take(bytes, tag)) return;
      switch (tag & 7) {
        case 0:
          if (!take(bytes, size)) return;
          continue;
        case 1: size = 8; break;
        case 2: {
          if (!take(bytes, size) || size > bytes.size()) return;
          const Kind kind = held(message, tag >> 3);
          ++found.messages;
          if (kind == Kind::kSpan) ++found.spans;
          if (kind != Kind::kText && depth < kDeepest)
            count(bytes.first(static_cast<std::size_t>(size)), kind, depth + 1);
          break;
        }
        case 5: size = 4; break;
        default:  // the ends of groups, which this protocol has none of
          continue;
      }
      if (size > bytes.size()) return;
      bytes = bytes.subspan(static_cast<std::size_t>(size));
    }
  }

 private:
  // Takes a number of variable length from the front.
  static bool take(std::span<const std::uint8_t>& bytes, std::uint64_t& number) noexcept {
    number = 0;
    for (std::size_t i = 0; i < bytes.size() && i < 10; ++i) {
      number |= static_cast<std::uint64_t>(bytes[i] & 127) << (7 * i);
      if (bytes[i] < 128) {
        bytes = bytes.subspan(i + 1);
        return true;
      }
    }
    return false;
  }
};

}  // namespace span_messages

inline SpanMessages span_messages_in(std::span<const std::uint8_t> body) noexcept {
  span_messages::Counting counting;
  counting.count(body, span_messages::Kind::kRequest, 0);
  return counting.found;
}

}  // namespace vestigo
