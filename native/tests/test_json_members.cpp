// tests/test_json_members.cpp: members of lines as text, and that no line, however broken, is read
// beyond its end.
#include <random>
#include <string>
#include <vector>

#include "check.hpp"
#include "vestigo/json_members.hpp"

using namespace vestigo;

namespace {

// The texts of a member, with "-" where it is missing.
std::vector<std::string> texts(const std::string& content, std::string_view name) {
  const std::vector<std::uint8_t> exact(
      content.begin(), content.end());  // so that a sanitizer sees every letter beyond
  const MemberTexts found = member_texts(exact, name);
  std::vector<std::string> each;
  for (std::size_t i = 0; i < found.missing.size(); ++i) {
    const std::string text(found.letters.begin() + found.ends[i],
                           found.letters.begin() + found.ends[i + 1]);
    each.push_back(found.missing[i] ? "-" : text);
  }
  return each;
}

using Each = std::vector<std::string>;

}  // namespace

int main() {
  CHECK(texts("{\"a\": 1}\n\n{\"b\":2, \"a\" : \"x\"}\n{\"a\":null}\n{}", "a") ==
        (Each{"1", "x", "-", "-"}));
  CHECK(texts("{\"m\": {\"id\": 12, \"o\": [1, \"b\"]}}", "m.id") == Each{"12"});
  CHECK(texts("{\"m\": {\"id\": 12, \"o\": [1, \"b\"]}}", "m.o.1") == Each{"b"});
  CHECK(texts("{\"m\": {\"id\": 12, \"o\": [1, \"b, ] \\\" c\" ]}}", "m.o") ==
        Each{"[1,\"b, ] \\\" c\"]"});
  CHECK(texts("{\"a.b\": 1, \"a\": {\"b\": 2}}", "a.b") == Each{"1"});
  CHECK(texts("{\"a\": [], \"b\": [true]}", "a") == Each{"[]"});
  CHECK(texts("{\"a\": [1]}", "a.1") == Each{"-"});
  CHECK(texts("{\"\\u0061\": \"\\u00e9\\n\\ud83d\\ude00\\ud800\\/\"}", "a") ==
        Each{"\xC3\xA9\n\xF0\x9F\x98\x80\xEF\xBF\xBD/"});
  CHECK(texts("\xEF\xBB\xBF{\"a\": 1.50}\r\n", "a") == Each{"1.50"});

  const std::string twice = "{\"a\": 1}\n{\"b\": {\"a\": 2}, \"a\": 1, \"a\": 2}\n";
  CHECK(member_texts({reinterpret_cast<const std::uint8_t*>(twice.data()), twice.size()}, "a")
            .twice == 2);

  std::mt19937 random(7);
  for (int i = 0; i < 200'000; ++i) {
    std::string content;
    for (auto k = random() % 30; k > 0; --k) content.push_back("{[}]\"\\\n a:,u01"[random() % 14]);
    const MemberTexts found =
        member_texts({reinterpret_cast<const std::uint8_t*>(content.data()), content.size()},
                     random() % 2 ? "a" : "a.0");
    CHECK(found.ends.size() == found.missing.size() + 1 &&
          found.ends.back() == static_cast<std::int64_t>(found.letters.size()));
    texts(content, "a.0.u");
  }
  std::puts("json members: passed");
}
