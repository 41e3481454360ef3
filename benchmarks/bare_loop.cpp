// benchmarks/bare_loop.cpp: the least that a replay can do, as the limit to measure the kernel against.
//
// LRU over 64-byte entries with both expiries and the version check, fetching ahead; it counts hits and
// stale hits, nothing else. Built by benchmarks/speed.py, called through ctypes.
#include <sys/mman.h>

#include <cstdint>
#include <cstdlib>

namespace {

struct alignas(64) Entry {
  std::int64_t ages_at, used_at;
  std::int32_t version, before, after;
  bool held;
};

}  // namespace

extern "C" void bare_loop(const std::int64_t* at, const std::int32_t* key, const std::int32_t* version, std::int64_t events,
                          std::int32_t keys, std::int32_t max_entries, std::int64_t absolute, std::int64_t sliding,
                          std::int64_t* result) {
  const std::size_t page = std::size_t{2} << 20;
  const std::size_t bytes = ((static_cast<std::size_t>(keys) + 1) * sizeof(Entry) + page - 1) / page * page;
  Entry* e = static_cast<Entry*>(std::aligned_alloc(page, bytes));
  madvise(e, bytes, MADV_HUGEPAGE);
  for (std::int32_t k = 0; k <= keys; ++k) e[k] = Entry{0, 0, 0, keys, keys, false};
  const std::int32_t hub = keys;
  const auto take = [e](std::int32_t k) {
    e[e[k].before].after = e[k].after;
    e[e[k].after].before = e[k].before;
  };
  const auto push = [e, hub](std::int32_t k) {
    e[k].before = hub;
    e[k].after = e[hub].after;
    e[e[hub].after].before = k;
    e[hub].after = k;
  };
  std::int64_t hits = 0, stale = 0;
  std::int32_t held = 0;
  for (std::int64_t i = 0; i < events; ++i) {
    const std::int64_t far = i + 24 < events ? i + 24 : events - 1, near = i + 12 < events ? i + 12 : events - 1;
    __builtin_prefetch(&e[key[far]], 1);
    const Entry& soon = e[key[near]];
    if (soon.held) {
      __builtin_prefetch(&e[soon.before], 1);
      __builtin_prefetch(&e[soon.after], 1);
    }
    const std::int32_t k = key[i];
    const std::int64_t now = at[i];
    Entry& x = e[k];
    if (x.held && now < x.ages_at && now < x.used_at + sliding) {
      ++hits;
      stale += x.version != version[i];
      x.used_at = now;
      take(k);
      push(k);
      continue;
    }
    if (x.held) {
      take(k);
    } else if (held == max_entries) {
      const std::int32_t victim = e[hub].before;
      take(victim);
      e[victim].held = false;
      __builtin_prefetch(&e[e[hub].before], 1);
    } else {
      ++held;
    }
    x = Entry{now + absolute, now, version[i], 0, 0, true};
    push(k);
  }
  std::free(e);
  result[0] = hits;
  result[1] = stale;
}
