// What rows tell of a key's value: the cases of docs/semantics.md, "Truth" and "Versions".
#include "check.hpp"
#include "vestigo/truth.hpp"

using namespace vestigo;

namespace {

struct Told {
  Truth truth{2, true};
  Time now = 0;
  Id stretch = 0;
  bool names = false;

  Id row(std::uint8_t op, Id version, int found) {
    const auto seen = truth.see({.at = ++now,
                                 .mark = op,
                                 .key = 1,
                                 .version = version,
                                 .found = static_cast<std::int8_t>(found)});
    stretch = seen.stretch;
    names = seen.names;
    return seen.value;
  }
  Id read(Id version, int found = -1) { return row(kRead, version, found); }
  Id write(Id version, int found = -1) { return row(kWrite, version, found); }
};

}  // namespace

int main() {
  Told plain;
  const Id unnamed = plain.read(kNone);
  CHECK(unnamed <= kFirstUnnamed && plain.read(kNone) == unnamed);
  CHECK(plain.read(7) == 7 && plain.names);
  CHECK(plain.read(7) == 7 && !plain.names);
  CHECK(plain.read(8) == 8 && !plain.names);
  CHECK(plain.read(7) == 7);

  Told written;
  CHECK(written.read(3) == 3);
  const Id first = written.write(kNone), second = written.write(kNone);
  CHECK(first != second && first <= kFirstUnnamed && second <= kFirstUnnamed);
  CHECK(written.read(3) == 3 && !written.names);  // known from before: another change
  written.write(kNone);
  CHECK(written.read(4) == 4 && written.names);
  CHECK(written.write(4) == 4);

  Told gone;
  CHECK(gone.read(5) == 5 && gone.write(5, 0) == kNullValue && gone.read(5, 0) == kNullValue);
  CHECK(gone.read(kNone) == kNullValue);
  CHECK(gone.read(kNone, 1) <= kFirstUnnamed);
  CHECK(gone.read(5) == 5 && gone.names);  // found by a read, not written: it was 5 all the time
  const auto names = gone.truth.take_names();
  CHECK(names.size() == 1 && names[0].second == 5 && gone.truth.take_names().empty());

  Told stretches;
  stretches.read(kNone);
  const Id first_stretch = stretches.stretch;
  stretches.read(7);  // names it: no change
  CHECK(stretches.stretch == first_stretch &&
        stretches.truth.stretches().value(first_stretch) == 7);
  CHECK(stretches.truth.stretches().end(first_stretch) == kNever);
  stretches.write(kNone, 0);
  CHECK(is_null(stretches.stretch) && stretches.truth.stretches().end(first_stretch) == 3);
  stretches.read(7);  // the same value again, in another stretch
  CHECK(stretches.stretch != first_stretch &&
        stretches.truth.stretches().value(stretches.stretch) == 7);
  CHECK(stretches.truth.count() == 3);
  std::puts("truth: passed");
}
