// tests/test_json_lines.cpp: how deep and how long lines are, as a plain reading of them tells.
#include <algorithm>
#include <random>
#include <string>

#include "check.hpp"
#include "vestigo/json_lines.hpp"

using namespace vestigo;

namespace {

// The same, one line after the other.
FirstLine plainly(const std::string& text, std::size_t depth, std::size_t length) {
  FirstLine found;
  std::size_t number = 1, begin = 0;
  while (begin <= text.size()) {
    const std::size_t end = std::min(text.find('\n', begin), text.size());
    const std::string line = text.substr(begin, end - begin);
    if (line.size() > length && found.too_long == 0) found.too_long = number;
    std::size_t open = 0;
    bool quoted = false, escaped = false, deep = false;
    for (const char letter : line) {
      if (escaped) {
        escaped = false;
      } else if (quoted && letter == '\\') {
        escaped = true;
      } else if (letter == '"') {
        quoted = !quoted;
      } else if (!quoted && (letter == '{' || letter == '[')) {
        deep |= ++open > depth;
      } else if (!quoted && (letter == '}' || letter == ']') && open > 0) {
        --open;
      }
    }
    if (deep && found.too_deep == 0) found.too_deep = number;
    begin = end + 1;
    ++number;
  }
  return found;
}

FirstLine asked(const std::string& text, std::size_t depth, std::size_t length) {
  return first_line_beyond({reinterpret_cast<const std::uint8_t*>(text.data()), text.size()}, depth,
                           length);
}

}  // namespace

int main() {
  std::mt19937 random(5);
  for (int i = 0; i < 100'000; ++i) {
    std::string text;
    for (unsigned k = random() % 40; k > 0; --k) text.push_back("{[}]\"\\\n a"[random() % 9]);
    const std::size_t depth = random() % 4, length = random() % 20;
    const FirstLine found = asked(text, depth, length), plain = plainly(text, depth, length);
    CHECK(found.too_deep == plain.too_deep && found.too_long == plain.too_long);
  }
  CHECK(asked("{}\n{\"a\": \"[[[[\"}\n[[[]]]", 2, 100).too_deep == 3);
  std::puts("json lines: passed");
}
