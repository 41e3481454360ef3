// bind/texts.cpp: a Python module for readers of traces: what they do with texts in native code.
#include <nanobind/stl/optional.h>
#include <nanobind/stl/string_view.h>
#include <nanobind/stl/tuple.h>

#include <optional>
#include <string_view>

#include "array.hpp"
#include "vestigo/json_lines.hpp"
#include "vestigo/json_members.hpp"
#include "vestigo/last_words.hpp"
#include "vestigo/span_messages.hpp"
#include "vestigo/texts.hpp"

namespace nb = nanobind;
using namespace nb::literals;

namespace vestigo::bind {
namespace {

class BoundTexts {
 public:
  explicit BoundTexts(std::uint64_t seed) : texts_(seed) {}

  // The numbers of the texts of an Arrow array. Text i reaches from offset i to the next offset,
  // unless it is missing.
  Array<Id> number(Column<std::int32_t> offsets, Column<std::uint8_t> letters,
                   std::optional<Column<bool>> missing) {
    if (offsets.size() == 0) refuse("no offsets");
    const std::size_t count = offsets.size() - 1;
    if (missing && missing->size() != count) refuse("columns differ in length");
    check(view(offsets), letters.size());
    std::vector<Id> ids(count);
    {
      nb::gil_scoped_release released;
      const std::int32_t* const ends = offsets.data();
      const char* const all =
          letters.size() == 0 ? "" : reinterpret_cast<const char*>(letters.data());
      const bool* const gone = missing ? missing->data() : nullptr;
      const auto text = [=](std::size_t i) {
        if (gone != nullptr && gone[i]) return std::string_view();
        return std::string_view(all + ends[i], static_cast<std::size_t>(ends[i + 1] - ends[i]));
      };
      texts_.number(text, ids);
    }
    return array(std::move(ids));
  }

  // (offsets, letters) of the texts, in the order of their numbers.
  std::tuple<Array<std::int64_t>, Array<std::uint8_t>> texts() const {
    const auto& letters = texts_.letters();
    return {array(std::vector(texts_.ends())),
            array(std::vector<std::uint8_t>(letters.begin(), letters.end()))};
  }

 private:
  static void check(std::span<const std::int32_t> offsets, std::size_t letters) {
    if (offsets[0] < 0 || static_cast<std::size_t>(offsets.back()) > letters)
      refuse("an offset is out of range");
    for (std::size_t i = 1; i < offsets.size(); ++i) {
      if (offsets[i] < offsets[i - 1]) refuse("offsets out of order");
    }
  }

  Texts texts_;
};

// (the first line that is nested too deep, the first that is too long), counted from 1. 0 means
// that there is none.
std::tuple<std::int64_t, std::int64_t> lines_beyond(Column<std::uint8_t> text, std::size_t depth,
                                                    std::size_t length) {
  const FirstLine found = [&] {
    nb::gil_scoped_release released;
    return first_line_beyond(view(text), depth, length);
  }();
  return {found.too_deep, found.too_long};
}

// (offsets, letters, which are missing, the first line that has it twice) of a member of each line
// of JSON Lines, as text.
std::tuple<Array<std::int64_t>, Array<std::uint8_t>, Array<std::uint8_t>, std::size_t> members(
    Column<std::uint8_t> content, std::string_view name) {
  MemberTexts found = [&] {
    nb::gil_scoped_release released;
    return member_texts(view(content), name);
  }();
  return {array(std::move(found.ends)), array(std::move(found.letters)),
          array(std::move(found.missing)), found.twice};
}

// (spans, messages) of an OTLP request in protobuf.
std::tuple<std::size_t, std::size_t> span_messages_of(Column<std::uint8_t> body) {
  const SpanMessages found = [&] {
    nb::gil_scoped_release released;
    return span_messages_in(view(body));
  }();
  return {found.spans, found.messages};
}

NB_MODULE(texts, m) {
  m.def("last_words", &LastWords::of_memory, "address"_a, "size"_a, "sentence"_a);
  m.def("end_with", &LastWords::end_with, "status"_a);
  m.def("lines_beyond", &lines_beyond, "text"_a.noconvert(), "depth"_a, "length"_a);
  m.def("members", &members, "content"_a.noconvert(), "name"_a);
  m.def("span_messages", &span_messages_of, "body"_a.noconvert());
  nb::class_<BoundTexts>(m, "Texts")
      .def(nb::init<std::uint64_t>(), "seed"_a)
      .def("number", &BoundTexts::number, "offsets"_a.noconvert(), "letters"_a.noconvert(),
           "missing"_a.noconvert().none())
      .def("texts", &BoundTexts::texts);
}

}  // namespace
}  // namespace vestigo::bind
