// bind/array.hpp: columns that come from NumPy, or go there, without a copy.
//
// The kernel checks a column once, and reads it later, while Python runs in other threads. So a
// column that Python can still write is copied when it comes in.
#pragma once

#include <nanobind/nanobind.h>
#include <nanobind/ndarray.h>

#include <algorithm>
#include <memory>
#include <span>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

namespace vestigo::bind {

namespace nb = nanobind;

// Whether Python can write the memory of an array: by the array itself, or by one that it is a view
// of.
inline bool can_be_written(nb::handle array) noexcept {
  nb::object at = nb::borrow(array);
  while (true) {
    const auto flags = nb::steal(PyObject_GetAttrString(at.ptr(), "flags"));
    const auto writeable =
        nb::steal(flags.is_valid() ? PyObject_GetAttrString(flags.ptr(), "writeable") : nullptr);
    if (!writeable.is_valid()) break;  // no array of NumPy
    if (writeable.ptr() != Py_False) return true;
    at = nb::steal(PyObject_GetAttrString(at.ptr(), "base"));
    if (!at.is_valid() || at.is_none()) break;
  }
  PyErr_Clear();
  if (!at.is_valid() || at.is_none()) return false;
  Py_buffer buffer;
  const bool writes = PyObject_GetBuffer(at.ptr(), &buffer, PyBUF_WRITABLE) == 0;
  if (writes) PyBuffer_Release(&buffer);
  PyErr_Clear();
  return writes;
}

// A column whose numbers stay as they are when it is taken.
template <class T>
class Column {
 public:
  using Taken = nb::ndarray<const T, nb::ndim<1>, nb::c_contig, nb::device::cpu>;

  Column() = default;
  Column(Taken taken, bool is_copied) : taken_(std::move(taken)), data_(taken_.data()) {
    if (!is_copied) return;
    copy_ = std::shared_ptr<T[]>(new T[std::max<std::size_t>(size(), 1)]);
    std::copy(data_, data_ + size(), copy_.get());
    data_ = copy_.get();
  }

  const T* data() const { return data_; }
  std::size_t size() const { return taken_.is_valid() ? taken_.size() : 0; }
  T operator()(std::size_t i) const { return data_[i]; }

 private:
  Taken taken_;
  std::shared_ptr<T[]> copy_;
  const T* data_ = nullptr;
};

// A column that the kernel writes.
template <class T>
using Written = nb::ndarray<T, nb::ndim<1>, nb::c_contig, nb::device::cpu>;

template <class T>
std::span<const T> view(const Column<T>& column) {
  return {column.data(), column.size()};
}

[[noreturn]] inline void refuse(const std::string& what) { throw std::invalid_argument(what); }

// What goes to NumPy is read-only, so that it can come back without a copy.
template <class T>
using Array = nb::ndarray<nb::numpy, const T, nb::ndim<1>>;
template <class T>
using Rows = nb::ndarray<nb::numpy, const T, nb::ndim<2>>;

template <class T>
std::pair<T*, nb::capsule> kept(std::vector<T>&& values) {
  auto* const vector = new std::vector<T>(std::move(values));
  return {vector->data(),
          nb::capsule(vector, [](void* p) noexcept { delete static_cast<std::vector<T>*>(p); })};
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

namespace nanobind::detail {

template <class T>
struct type_caster<vestigo::bind::Column<T>> {
  using Taken = typename vestigo::bind::Column<T>::Taken;
  NB_TYPE_CASTER(vestigo::bind::Column<T>, make_caster<Taken>::Name)

  template <class Flags>
  bool from_python(handle source, Flags flags, cleanup_list* cleanup) noexcept {
    make_caster<Taken> caster;
    if (!caster.from_python(source, flags, cleanup)) return false;
    try {
      value =
          vestigo::bind::Column<T>(std::move(caster.value), vestigo::bind::can_be_written(source));
    } catch (const std::bad_alloc&) {
      return false;
    }
    return true;
  }

  // Python never asks for what it gave. It gets a copy.
  static handle from_cpp(const vestigo::bind::Column<T>& column, rv_policy,
                         cleanup_list* cleanup) noexcept {
    ndarray<numpy, const T, ndim<1>> copied(column.data(), {column.size()});
    return make_caster<decltype(copied)>::from_cpp(copied, rv_policy::copy, cleanup);
  }
};

}  // namespace nanobind::detail
