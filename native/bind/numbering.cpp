// bind/numbering.cpp: the numbering of keys on nodes, as a Python class (see
// vestigo/numbering.hpp).
#include "vestigo/numbering.hpp"

#include "array.hpp"

namespace vestigo::bind {
namespace {

using namespace nb::literals;

// Numbers keys on nodes, batch by batch.
class BoundNumbering {
 public:
  explicit BoundNumbering(std::size_t keys) : count_(keys), numbering_(keys) {}

  // The ids of the next rows. `loads` says which of them read or preload their key.
  Array<Id> number(Column<Id> key, Column<Id> node, Column<std::uint8_t> loads) {
    if (key.size() != node.size() || key.size() != loads.size()) refuse("columns differ in length");
    for (const Id id : view(key)) {
      if (id < 0 || static_cast<std::size_t>(id) >= count_) refuse("a key is out of range");
    }
    const std::size_t events = key.size(), ahead = 16;
    std::vector<Id> ids(events);
    {
      nb::gil_scoped_release released;
      for (std::size_t i = 0; i < events; ++i) {
        if (i + ahead < events) numbering_.fetch(key(i + ahead), node(i + ahead));
        ids[i] = numbering_.number(key(i), node(i), loads(i) != 0);
      }
    }
    return array(std::move(ids));
  }
  Array<Id> keys() const { return array(std::vector(numbering_.keys())); }
  Array<Id> nodes() const { return array(std::vector(numbering_.nodes())); }
  Array<std::uint8_t> is_first() const { return array(std::vector(numbering_.is_first())); }

 private:
  std::size_t count_;
  Numbering numbering_;
};

}  // namespace

void bind_numbering(nb::module_& m) {
  nb::class_<BoundNumbering>(m, "Numbering")
      .def(nb::init<std::size_t>(), "keys"_a)
      .def("number", &BoundNumbering::number, "key"_a.noconvert(), "node"_a.noconvert(),
           "loads"_a.noconvert())
      .def("is_first", &BoundNumbering::is_first)
      .def("keys", &BoundNumbering::keys)
      .def("nodes", &BoundNumbering::nodes);
}

}  // namespace vestigo::bind
