// vestigo/large_pages.hpp: memory that is visited in no order, on large pages where the system has them. Small ones would cost an
// address look-up for nearly each visit.
#pragma once

#include <cstddef>
#include <cstdlib>
#include <new>
#include <vector>

#ifdef __linux__
#include <sys/mman.h>
#endif

namespace vestigo {

template <class T>
struct LargePages {
  using value_type = T;

  LargePages() = default;
  template <class Other>
  LargePages(const LargePages<Other>&) {}

  T* allocate(std::size_t count) {
    if (count > SIZE_MAX / sizeof(T) - kPage) throw std::bad_alloc();
    const std::size_t unit = count * sizeof(T) < kPage ? alignof(std::max_align_t) < alignof(T) ? alignof(T) : alignof(std::max_align_t) : kPage;
    const std::size_t bytes = (count * sizeof(T) + unit - 1) / unit * unit;
    void* const room = std::aligned_alloc(unit, bytes);
    if (room == nullptr) throw std::bad_alloc();
#ifdef __linux__
    if (unit == kPage) madvise(room, bytes, MADV_HUGEPAGE);
#endif
    return static_cast<T*>(room);
  }
  void deallocate(T* room, std::size_t) { std::free(room); }

  template <class Other>
  bool operator==(const LargePages<Other>&) const {
    return true;
  }

 private:
  static constexpr std::size_t kPage = std::size_t{2} << 20;
};

template <class T>
using LargeVector = std::vector<T, LargePages<T>>;

}  // namespace vestigo
