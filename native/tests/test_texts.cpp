// tests/test_texts.cpp: texts are numbered as a plain map does it, whatever they hold.
#include <map>
#include <random>
#include <string>

#include "check.hpp"
#include "vestigo/texts.hpp"

using namespace vestigo;

namespace {

// Letters of which few are different, so that texts come again; of every length about a word's;
// zeros and bytes above 127 too.
std::vector<std::string> random_texts(std::mt19937_64& random, std::size_t count) {
  std::vector<std::string> texts(count);
  for (std::string& text : texts) {
    const std::size_t length = random() % (random() % 40 + 1);
    for (std::size_t i = 0; i < length; ++i) text.push_back("\0a\xffz"[random() % 4]);
  }
  return texts;
}

void numbers_by_first_appearance(std::uint64_t seed) {
  std::mt19937_64 random(seed);
  Texts texts(seed);
  std::map<std::string, Id> known;
  for (int part = 0; part < 5; ++part) {
    const std::vector<std::string> given = random_texts(random, random() % 700);
    std::vector<Id> ids(given.size());
    const auto missing = [](std::size_t i) { return i % 11 == 3; };
    texts.number(
        [&](std::size_t i) { return missing(i) ? std::string_view() : std::string_view(given[i]); },
        ids);
    for (std::size_t i = 0; i < given.size(); ++i) {
      CHECK(ids[i] ==
            (missing(i)
                 ? kNone
                 : known.try_emplace(given[i], static_cast<Id>(known.size())).first->second));
    }
  }
  CHECK(texts.count() == known.size());
  for (const auto& [text, id] : known) {
    const auto from = static_cast<std::size_t>(texts.ends()[static_cast<std::size_t>(id)]),
               to = static_cast<std::size_t>(texts.ends()[static_cast<std::size_t>(id) + 1]);
    CHECK(std::string(texts.letters().begin() + static_cast<std::ptrdiff_t>(from),
                      texts.letters().begin() + static_cast<std::ptrdiff_t>(to)) == text);
  }
}

}  // namespace

int main() {
  for (std::uint64_t seed = 0; seed < 300; ++seed) numbers_by_first_appearance(seed);
  std::puts("texts: passed");
}
