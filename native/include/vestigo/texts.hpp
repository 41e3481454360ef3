// vestigo/texts.hpp: numbers texts by first appearance.
#pragma once

#include <bit>
#include <cstring>
#include <span>
#include <stdexcept>
#include <string_view>
#include <vector>

#include "draw.hpp"
#include "large_pages.hpp"

namespace vestigo {

// A table with open addressing and linear probing (D. E. Knuth, "The Art of Computer Programming"
// vol. 3, 1973, section 6.4), never more than half full. Whoever writes the texts does not know the
// `seed`, and so cannot make them collide.
class Texts {
 public:
  explicit Texts(std::uint64_t seed) : seed_(seed), places_(kFewest) { letters_.reserve(kFewest); }

  // Numbers as many texts as `ids` has room for. text(i) is the i-th text. If it has no data, the
  // text is missing, and its number is kNone.
  template <class Text>
  void number(Text text, std::span<Id> ids) {
    std::uint64_t hashes[kBlock];
    for (std::size_t begin = 0; begin < ids.size(); begin += kBlock) {
      const std::size_t many = std::min(kBlock, ids.size() - begin);
      if (2 * (count() + kBlock) > places_.size()) grow();
      for (std::size_t i = 0; i < many; ++i) {
        hashes[i] = hash(text(begin + i));
        __builtin_prefetch(&places_[bucket(hashes[i])]);
      }
      for (std::size_t i = 0; i < many; ++i)
        __builtin_prefetch(letters_.data() + places_[bucket(hashes[i])].begin);
      for (std::size_t i = 0; i < many; ++i) {
        const std::string_view one = text(begin + i);
        ids[begin + i] = one.data() == nullptr ? kNone : find_or_add(one, hashes[i]);
      }
    }
  }

  std::size_t count() const { return ends_.size() - 1; }
  // All texts one after the other, and their ends, with a zero in front.
  const std::vector<char>& letters() const { return letters_; }
  const std::vector<std::int64_t>& ends() const { return ends_; }

 private:
  static constexpr std::size_t kBlock = 32, kFewest = 256;
  struct Place {
    std::size_t begin = 0, length = 0;  // of its letters
    std::uint32_t hash = 0;
    Id id = kNone;
  };

  std::uint64_t hash(std::string_view text) const {
    const char* letters = text.data();
    std::size_t left = text.size();
    std::uint64_t mixed = seed_ + left;
    for (; left > 8; left -= 8, letters += 8) mixed = mix(mixed ^ word<std::uint64_t>(letters));
    return mix(mixed ^ tail(letters, left));
  }

  template <class Word>
  static Word word(const char* letters) {
    Word word;
    std::memcpy(&word, letters, sizeof word);
    return word;
  }

  // The last letters, at most eight, as a number. Two overlapping pieces cost less than a loop.
  static std::uint64_t tail(const char* letters, std::size_t count) {
    if (count == 8) return word<std::uint64_t>(letters);
    if (count >= 4)
      return std::uint64_t{word<std::uint32_t>(letters)} << 32 |
             word<std::uint32_t>(letters + count - 4);
    std::uint64_t number = 0;
    for (std::size_t i = 0; i < count; ++i)
      number = number << 8 | static_cast<unsigned char>(letters[i]);
    return number;
  }

  static std::uint32_t part(std::uint64_t hash) { return static_cast<std::uint32_t>(hash >> 32); }
  std::size_t bucket(std::uint64_t hash) const {
    return static_cast<std::size_t>(hash) & (places_.size() - 1);
  }
  std::size_t next(std::size_t place) const { return (place + 1) & (places_.size() - 1); }

  Id find_or_add(std::string_view text, std::uint64_t hash) {
    std::size_t place = bucket(hash);
    for (; places_[place].id != kNone; place = next(place)) {
      const Place& known = places_[place];
      if (known.hash == part(hash) && known.length == text.size() &&
          std::memcmp(letters_.data() + known.begin, text.data(), text.size()) == 0)
        return known.id;
    }
    if (count() >= static_cast<std::size_t>(INT32_MAX))
      throw std::length_error("more than 2^31 different texts");
    const auto id = static_cast<Id>(count());
    places_[place] = {letters_.size(), text.size(), part(hash), id};
    letters_.insert(letters_.end(), text.begin(), text.end());
    ends_.push_back(static_cast<std::int64_t>(letters_.size()));
    return id;
  }

  void grow() {
    LargeVector<Place> old(std::bit_ceil(4 * (count() + kBlock)));
    old.swap(places_);
    for (const Place& one : old) {
      if (one.id == kNone) continue;
      std::size_t place = bucket(hash({letters_.data() + one.begin, one.length}));
      while (places_[place].id != kNone) place = next(place);
      places_[place] = one;
    }
  }

  std::uint64_t seed_;
  LargeVector<Place> places_;  // a power of two of them
  std::vector<char> letters_;
  std::vector<std::int64_t> ends_{0};
};

}  // namespace vestigo
