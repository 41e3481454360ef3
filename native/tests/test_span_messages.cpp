// tests/test_span_messages.cpp: spans and messages are counted as they were put in, and no bytes
// are read beyond the body's end.
#include <random>
#include <string>
#include <vector>

#include "check.hpp"
#include "vestigo/span_messages.hpp"

using namespace vestigo;

namespace {

std::string number(std::uint64_t value) {
  std::string text;
  for (; value > 127; value >>= 7) text.push_back(static_cast<char>((value & 127) | 128));
  text.push_back(static_cast<char>(value));
  return text;
}

std::string field(std::uint64_t name, const std::string& content) {
  return number(name << 3 | 2) + number(content.size()) + content;
}

SpanMessages counted(const std::string& body) {
  // A copy of just this size, so that a sanitizer sees what is read beyond it.
  const std::vector<std::uint8_t> bytes(body.begin(), body.end());
  return span_messages_in(bytes);
}

}  // namespace

int main() {
  std::string scoped,
      text = field(1, "key") + field(2, field(1, "value"));  // an attribute: three fields within
  for (int i = 0; i < 1000; ++i)
    scoped += field(2, field(9, text) + field(5, "name") + number(6 << 3) + number(3));
  const std::string body = field(1, field(1, field(1, text)) + field(2, scoped));
  const SpanMessages found = counted(body);
  CHECK(found.spans == 1000);
  CHECK(found.messages == 1000 * 6 + 7);

  std::string empty;
  for (int i = 0; i < 100'000; ++i) empty += field(2, "");
  CHECK(counted(field(1, field(2, empty))).spans == 100'000);
  CHECK(counted(field(1, field(3, empty))).spans == 0);  // a text that looks like spans

  std::string deep = field(1, "x");
  for (int i = 0; i < 20'000; ++i) deep = field(5, field(1, deep));
  const SpanMessages nested = counted(field(1, field(2, field(2, field(9, field(2, deep))))));
  CHECK(nested.spans == 1 && nested.messages > 90 && nested.messages < 110);

  std::mt19937 random(7);
  for (int i = 0; i < 20'000; ++i) {
    std::string broken = body.substr(0, 1 + random() % 400);
    for (unsigned k = random() % 5; k > 0; --k)
      broken[random() % broken.size()] = static_cast<char>(random());
    CHECK(counted(broken).messages <= broken.size());
  }
  std::puts("span messages: passed");
}
