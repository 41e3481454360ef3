// What rows tell of a key's value: the cases of docs/semantics.md, "Truth" and "Versions".
#include "check.hpp"
#include "vestigo/truth.hpp"

using namespace vestigo;

namespace {

struct Told {
  Truth truth{2, true};
  std::uint8_t mark = 0;

  Id row(std::uint8_t op, Id version, int found) {
    mark = op;
    return truth.see({.mark = op, .key = 1, .version = version, .found = static_cast<std::int8_t>(found)}, mark);
  }
  Id read(Id version, int found = -1) { return row(kRead, version, found); }
  Id write(Id version, int found = -1) { return row(kWrite, version, found); }
};

}  // namespace

int main() {
  Told plain;
  const Id unnamed = plain.read(kNone);
  CHECK(unnamed <= kFirstUnnamed && plain.read(kNone) == unnamed);
  CHECK(plain.read(7) == 7 && (plain.mark & kNames));
  CHECK(plain.read(7) == 7 && !(plain.mark & kNames));
  CHECK(plain.read(8) == 8 && !(plain.mark & kNames));
  CHECK(plain.read(7) == 7);

  Told written;
  CHECK(written.read(3) == 3);
  const Id first = written.write(kNone), second = written.write(kNone);
  CHECK(first != second && first <= kFirstUnnamed && second <= kFirstUnnamed);
  CHECK(written.read(3) == 3 && !(written.mark & kNames));  // known from before: another change
  written.write(kNone);
  CHECK(written.read(4) == 4 && (written.mark & kNames));
  CHECK(written.write(4) == 4);

  Told gone;
  CHECK(gone.read(5) == 5 && gone.write(5, 0) == kNullValue && gone.read(5, 0) == kNullValue);
  CHECK(gone.read(kNone) == kNullValue);
  CHECK(gone.read(kNone, 1) <= kFirstUnnamed);
  CHECK(gone.read(5) == 5 && (gone.mark & kNames));  // found by a read, not written: it was 5 all the time
  const auto names = gone.truth.take_names();
  CHECK(names.size() == 1 && names[0].second == 5 && gone.truth.take_names().empty());
  std::puts("truth: passed");
}
