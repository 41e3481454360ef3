// vestigo/large_pages.hpp: memory that is visited in no order, on large pages if the system has
// them. With small pages, nearly every visit would cost an address look-up.
//
// While a `KeptMemory` exists, the next replay takes the memory that one gives back. Fresh pages
// from the system would take a tenth of a short replay's time.
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdlib>
#include <memory>
#include <mutex>
#include <new>
#include <vector>

#ifdef __linux__
#include <sys/mman.h>
#endif

namespace vestigo {

// Blocks of whole large pages, for all threads.
class LargeBlocks {
 public:
  static constexpr std::size_t kPage = std::size_t{2} << 20;

  static LargeBlocks& all() {
    static auto* const blocks = new LargeBlocks;  // it is never destroyed, because blocks may still
                                                  // be held when the process ends
    return *blocks;
  }

  void* take(std::size_t bytes) {
    if (void* const kept = take_kept(bytes)) return kept;
    void* const block = std::aligned_alloc(kPage, bytes);
    if (block == nullptr) throw std::bad_alloc();
#ifdef __linux__
    madvise(block, bytes, MADV_HUGEPAGE);
#endif
    return block;
  }

  void give_back(void* block, std::size_t bytes) {
    const std::lock_guard lock(mutex_);
    if (keepers_ == 0 || bytes > kMostKept) return std::free(block);
    while (kept_bytes_ + bytes > kMostKept) {  // the oldest goes
      std::free(kept_.front().memory);
      kept_bytes_ -= kept_.front().bytes;
      kept_.erase(kept_.begin());
    }
    kept_.push_back({block, bytes});
    kept_bytes_ += bytes;
  }

  void keep() {
    const std::lock_guard lock(mutex_);
    ++keepers_;
  }
  void keep_no_longer() {
    const std::lock_guard lock(mutex_);
    if (--keepers_ > 0) return;
    for (const Block& block : kept_) std::free(block.memory);
    kept_.clear();
    kept_bytes_ = 0;
  }

 private:
  static constexpr std::size_t kMostKept = std::size_t{256} << 20;
  struct Block {
    void* memory;
    std::size_t bytes;
  };

  void* take_kept(std::size_t bytes) {
    const std::lock_guard lock(mutex_);
    const auto found = std::find_if(kept_.begin(), kept_.end(),
                                    [=](const Block& block) { return block.bytes == bytes; });
    if (found == kept_.end()) return nullptr;
    void* const block = found->memory;
    kept_bytes_ -= bytes;
    kept_.erase(found);
    return block;
  }

  std::mutex mutex_;
  std::vector<Block> kept_;
  std::size_t kept_bytes_ = 0, keepers_ = 0;
};

// While one exists, memory that is given back is kept for the next request of the same size.
class KeptMemory {
 public:
  KeptMemory() { LargeBlocks::all().keep(); }
  KeptMemory(const KeptMemory&) = delete;
  KeptMemory& operator=(const KeptMemory&) = delete;
  ~KeptMemory() { LargeBlocks::all().keep_no_longer(); }
};

template <class T>
struct LargePages {
  using value_type = T;

  LargePages() = default;
  template <class Other>
  LargePages(const LargePages<Other>&) {}

  T* allocate(std::size_t count) {
    if (count > (SIZE_MAX - LargeBlocks::kPage) / sizeof(T)) throw std::bad_alloc();
    if (is_small(count)) return std::allocator<T>().allocate(count);
    return static_cast<T*>(LargeBlocks::all().take(pages(count)));
  }
  void deallocate(T* block, std::size_t count) {
    if (is_small(count)) return std::allocator<T>().deallocate(block, count);
    LargeBlocks::all().give_back(block, pages(count));
  }

  template <class Other>
  bool operator==(const LargePages<Other>&) const {
    return true;
  }

 private:
  static bool is_small(std::size_t count) { return count * sizeof(T) < LargeBlocks::kPage; }
  static std::size_t pages(std::size_t count) {
    return (count * sizeof(T) + LargeBlocks::kPage - 1) / LargeBlocks::kPage * LargeBlocks::kPage;
  }
};

template <class T>
using LargeVector = std::vector<T, LargePages<T>>;

}  // namespace vestigo
