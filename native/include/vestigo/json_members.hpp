// vestigo/json_members.hpp: one member of each line of JSON Lines as text, whatever its kind: a
// text as it reads, a number as it is written, an object or a list as JSON without blanks.
//
// The lines need not be valid. What cannot be read is missing.
#pragma once

#include <algorithm>
#include <charconv>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace vestigo {

// Text i reaches from end i to end i + 1.
struct MemberTexts {
  std::vector<std::int64_t> ends{0};
  std::vector<std::uint8_t> letters;
  std::vector<std::uint8_t> missing;
  std::size_t twice = 0;  // the first line in which an object has the member twice, counted from 1
                          // without blank lines
};

namespace json {

inline bool is_blank(char letter) {
  return letter == ' ' || letter == '\t' || letter == '\r' || letter == '\n' || letter == '\v' ||
         letter == '\f';
}

// A place in a line.
class Cursor {
 public:
  explicit Cursor(std::string_view text) : text_(text) {}

  // The next letter that is not blank, or 0 at the end.
  char next() {
    while (at_ < text_.size() && is_blank(text_[at_])) ++at_;
    return at_ < text_.size() ? text_[at_] : '\0';
  }

  bool take(char letter) {
    const bool there = next() == letter && at_ < text_.size();
    at_ += there;
    return there;
  }

  // A text as it is written, without its quotes. The cursor stands on the first of them.
  std::string_view quoted() {
    const std::size_t begin = ++at_;
    while (at_ < text_.size() && text_[at_] != '"') at_ += text_[at_] == '\\' ? 2 : 1;
    const std::size_t end = std::min(at_, text_.size());
    at_ = std::min(at_ + 1, text_.size());
    return text_.substr(std::min(begin, end), end - std::min(begin, end));
  }

  // A value as it is written.
  std::string_view value() {
    const char first = next();
    const std::size_t begin = at_;
    if (first == '"') {
      quoted();
    } else if (first == '{' || first == '[') {
      std::size_t open = 0;
      do {
        const char letter = next();
        if (letter == '"') {
          quoted();
          continue;
        }
        open += letter == '{' || letter == '[';
        open -= letter == '}' || letter == ']';
        at_ += at_ < text_.size();
      } while (open > 0 && at_ < text_.size());
    } else {
      while (at_ < text_.size() && !is_blank(text_[at_]) &&
             std::string_view(",]}").find(text_[at_]) == std::string_view::npos)
        ++at_;
    }
    return text_.substr(begin, at_ - begin);
  }

 private:
  std::string_view text_;
  std::size_t at_ = 0;
};

template <class Text>
void put_utf8(Text& to, std::uint32_t code) {
  const auto put = [&](std::uint32_t byte) {
    to.push_back(static_cast<typename Text::value_type>(byte));
  };
  if (code < 0x80) return put(code);
  if (code < 0x800) return put(0xC0 | code >> 6), put(0x80 | (code & 0x3F));
  if (code < 0x10000)
    return put(0xE0 | code >> 12), put(0x80 | (code >> 6 & 0x3F)), put(0x80 | (code & 0x3F));
  put(0xF0 | code >> 18), put(0x80 | (code >> 12 & 0x3F)), put(0x80 | (code >> 6 & 0x3F)),
      put(0x80 | (code & 0x3F));
}

// The number of \uXXXX at `at`, or nothing of a number (0xFFFD).
inline std::uint32_t four_digits(std::string_view written, std::size_t at) {
  unsigned code = 0;
  const std::string_view digits = written.substr(std::min(at, written.size()), 4);
  const auto [end, error] = std::from_chars(digits.data(), digits.data() + digits.size(), code, 16);
  return error == std::errc() && end == digits.data() + 4 ? code : 0xFFFD;
}

// Appends a text that is written with escapes.
template <class Text>
void put_unescaped(Text& to, std::string_view written) {
  constexpr std::string_view kSigns = "bfnrt", kMeant = "\b\f\n\r\t";
  for (std::size_t i = 0; i < written.size(); ++i) {
    if (written[i] != '\\' || i + 1 == written.size()) {
      to.push_back(static_cast<typename Text::value_type>(written[i]));
      continue;
    }
    const char sign = written[++i];
    if (sign == 'u') {
      std::uint32_t code = four_digits(written, i + 1);
      i = std::min(i + 4, written.size());
      if (code >= 0xD800 && code < 0xDC00 &&
          written.substr(std::min(i + 1, written.size()), 2) == "\\u") {
        const std::uint32_t low = four_digits(written, i + 3);
        if (low >= 0xDC00 && low < 0xE000) {
          code = 0x10000 + ((code - 0xD800) << 10) + (low - 0xDC00);
          i += 6;
        }
      }
      put_utf8(to, code >= 0xD800 && code < 0xE000 ? 0xFFFD : code);
    } else {
      const std::size_t known = kSigns.find(sign);
      to.push_back(static_cast<typename Text::value_type>(
          known == std::string_view::npos ? sign : kMeant[known]));
    }
  }
}

// The value within `value` (an object, or a list if the name is a number), or nothing.
inline std::string_view within(std::string_view value, std::string_view name, bool& twice) {
  Cursor cursor(value);
  std::string_view found;
  if (cursor.take('{')) {
    std::string plain;
    while (cursor.next() == '"') {
      std::string_view own = cursor.quoted();
      if (own.find('\\') != std::string_view::npos) {
        plain.clear();
        put_unescaped(plain, own);
        own = plain;
      }
      const bool is_it = own == name;
      if (!cursor.take(':')) return found;
      const std::string_view member = cursor.value();
      if (is_it) twice |= !found.empty(), found = member;
      if (!cursor.take(',')) return found;
    }
  } else if (cursor.take('[')) {
    std::size_t place = 0;
    const auto [end, error] = std::from_chars(name.data(), name.data() + name.size(), place);
    if (error != std::errc() || end != name.data() + name.size()) return {};
    for (; cursor.next() != ']' && cursor.next() != '\0'; --place) {
      const std::string_view element = cursor.value();
      if (place == 0) return element;
      if (!cursor.take(',')) return found;
    }
  }
  return found;
}

// The member of that name, or else the one that its parts lead to (``msg.args.0``).
inline std::string_view member(std::string_view line, std::string_view name, bool& twice) {
  std::string_view found = within(line, name, twice);
  if (!found.empty() || name.find('.') == std::string_view::npos) return found;
  found = line;
  while (!found.empty()) {
    const std::size_t dot = name.find('.');
    found = within(found, name.substr(0, dot), twice);
    if (dot == std::string_view::npos) break;
    name.remove_prefix(dot + 1);
  }
  return found;
}

inline void put_without_blanks(std::vector<std::uint8_t>& to, std::string_view value) {
  for (Cursor cursor(value); const char letter = cursor.next();) {
    if (letter == '"') {
      to.push_back('"');
      const std::string_view own = cursor.quoted();
      to.insert(to.end(), own.begin(), own.end());
      to.push_back('"');
    } else {
      to.push_back(static_cast<std::uint8_t>(letter));
      cursor.take(letter);
    }
  }
}

inline void put(MemberTexts& to, std::string_view value) {
  const bool missing = value.empty() || value == "null";
  if (!missing) {
    if (value[0] == '"') {
      put_unescaped(to.letters, Cursor(value).quoted());
    } else if (value[0] == '{' || value[0] == '[') {
      put_without_blanks(to.letters, value);
    } else {
      to.letters.insert(to.letters.end(), value.begin(), value.end());
    }
  }
  to.missing.push_back(missing);
  to.ends.push_back(static_cast<std::int64_t>(to.letters.size()));
}

}  // namespace json

// A text for each line that is not blank.
inline MemberTexts member_texts(std::span<const std::uint8_t> content, std::string_view name) {
  MemberTexts found;
  std::string_view rest(content.empty() ? "" : reinterpret_cast<const char*>(content.data()),
                        content.size());
  if (rest.starts_with("\xEF\xBB\xBF")) rest.remove_prefix(3);
  while (!rest.empty()) {
    const std::size_t end = std::min(rest.find('\n'), rest.size());
    const std::string_view line = rest.substr(0, end);
    if (!std::all_of(line.begin(), line.end(), json::is_blank)) {
      bool twice = false;
      json::put(found, json::member(line, name, twice));
      if (twice && found.twice == 0) found.twice = found.missing.size();
    }
    rest.remove_prefix(std::min(end + 1, rest.size()));
  }
  return found;
}

}  // namespace vestigo
