// vestigo/json_lines.hpp: whether a reader that trusts lines of JSON survives them: how deep they
// are nested, and how long they are.
//
// A reader that calls itself for every nested object and list crashes if a line is nested too deep.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

namespace vestigo {

// The first line that is nested deeper than `depth`, or longer than `length`, counted from 1. 0
// means that there is none.
struct FirstLine {
  std::size_t too_deep = 0, too_long = 0;
};

inline FirstLine first_line_beyond(std::span<const std::uint8_t> text, std::size_t depth,
                                   std::size_t length) {
  FirstLine found;
  std::size_t line = 1, begin = 0, open = 0;
  bool quoted = false;
  const auto ends = [&](std::size_t end) {
    if (end - begin > length && found.too_long == 0) found.too_long = line;
  };
  for (std::size_t i = 0; i < text.size(); ++i) {
    switch (text[i]) {
      case '\n':
        ends(i);
        ++line;
        begin = i + 1;
        open = 0;
        quoted = false;
        break;
      case '"': quoted = !quoted; break;
      case '\\':
        if (quoted && i + 1 < text.size() && text[i + 1] != '\n') ++i;
        break;
      case '{':
      case '[':
        if (!quoted && ++open > depth && found.too_deep == 0) found.too_deep = line;
        break;
      case '}':
      case ']':
        if (!quoted && open > 0) --open;
        break;
      default: break;
    }
  }
  ends(text.size());
  return found;
}

}  // namespace vestigo
