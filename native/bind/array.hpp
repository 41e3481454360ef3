// bind/array.hpp: columns that come from NumPy, and go there without a copy.
#pragma once

#include <nanobind/nanobind.h>
#include <nanobind/ndarray.h>

#include <span>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

namespace vestigo::bind {

namespace nb = nanobind;

template <class T>
using Column = nb::ndarray<const T, nb::ndim<1>, nb::c_contig, nb::device::cpu>;

template <class T>
std::span<const T> view(const Column<T>& column) {
  return {column.data(), column.size()};
}

[[noreturn]] inline void refuse(const std::string& what) { throw std::invalid_argument(what); }

// Hands a vector to NumPy without a copy.
template <class T>
nb::object array(std::vector<T>&& values, std::size_t columns = 0) {
  auto* kept = new std::vector<T>(std::move(values));
  nb::capsule owner(kept, [](void* p) noexcept { delete static_cast<std::vector<T>*>(p); });
  if (columns == 0) return nb::cast(nb::ndarray<nb::numpy, T, nb::ndim<1>>(kept->data(), {kept->size()}, owner));
  return nb::cast(nb::ndarray<nb::numpy, T, nb::ndim<2>>(kept->data(), {kept->size() / columns, columns}, owner));
}

}  // namespace vestigo::bind
