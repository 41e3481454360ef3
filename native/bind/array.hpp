// bind/array.hpp: columns that come from NumPy, or go there, without a copy.
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

// A column that the kernel writes.
template <class T>
using Written = nb::ndarray<T, nb::ndim<1>, nb::c_contig, nb::device::cpu>;

template <class T>
std::span<const T> view(const Column<T>& column) {
  return {column.data(), column.size()};
}

[[noreturn]] inline void refuse(const std::string& what) { throw std::invalid_argument(what); }

template <class T>
using Array = nb::ndarray<nb::numpy, T, nb::ndim<1>>;
template <class T>
using Rows = nb::ndarray<nb::numpy, T, nb::ndim<2>>;

template <class T>
std::pair<T*, nb::capsule> kept(std::vector<T>&& values) {
  auto* const vector = new std::vector<T>(std::move(values));
  return {vector->data(), nb::capsule(vector, [](void* p) noexcept { delete static_cast<std::vector<T>*>(p); })};
}

// Hands a vector to NumPy without a copy.
template <class T>
Array<T> array(std::vector<T>&& values) {
  const std::size_t size = values.size();
  const auto [data, owner] = kept(std::move(values));
  return {data, {size}, owner};
}

// The same, as rows of `columns` columns.
template <class T>
Rows<T> rows(std::vector<T>&& values, std::size_t columns) {
  const std::size_t size = values.size();
  const auto [data, owner] = kept(std::move(values));
  return {data, {size / columns, columns}, owner};
}

}  // namespace vestigo::bind
