"""A replay as one would write it in an afternoon: a dict with expiry, counting what the kernel counts."""

from collections import Counter, OrderedDict


def plain_loop(  # noqa: PLR0913, PLR0917
    at: list[int],
    key: list[int],
    version: list[int],
    size: list[int],
    cost: list[int],
    max_entries: int,
    absolute: int,
    sliding: int,
) -> dict[str, object]:
    """LRU with both expiries; misses by cause, stale hits and ages, memory over time, read times, slices."""
    entries: OrderedDict[int, list[int]] = OrderedDict()
    causes: dict[int, str] = {}
    truth: dict[int, int] = {}
    misses, slices, by_second = Counter[str](), Counter[int](), Counter[int]()
    read_times, stale_ages = Counter[int](), Counter[int]()
    hits = stale = memory = memory_peak = held = idle = bytes_hit = bytes_missed = origin_time = 0
    last = at[0]
    for now, k, v, s, c in zip(at, key, version, size, cost, strict=True):
        entry = entries.get(k)
        slices[now // 10_000_000_000] += 1
        if truth.get(k, v) != v and entry and entry[4] == 0:
            entry[4] = now
        truth[k] = v
        if entry and now < entry[0] and now < entry[1] + sliding:
            hits += 1
            bytes_hit += entry[3]
            if entry[2] != v:
                stale += 1
                stale_ages[now - entry[4]] += 1
            entry[1] = now
            entries.move_to_end(k)
            continue
        held += memory * (now - last)
        last = now
        if entry:
            causes[k] = "aged" if entry[0] <= entry[1] + sliding else "idle"
            idle += entry[3] * (now - entry[1])
            memory -= entry[3]
            del entries[k]
        misses[causes.get(k, "first")] += 1
        by_second[now // 1_000_000_000] += 1
        read_times[c] += 1
        origin_time += c
        bytes_missed += s
        if len(entries) >= max_entries:
            gone, left = entries.popitem(last=False)
            causes[gone] = "evicted"
            idle += left[3] * (now - left[1])
            memory -= left[3]
        entries[k] = [now + absolute, now, v, s, 0]
        memory += s
        memory_peak = max(memory_peak, memory)
    surge = max(by_second.values())
    return {"hits": hits, "stale": stale, "misses": misses, "memory_peak": memory_peak, "held": held, "idle": idle} | {
        "surge": surge,
        "bytes_hit": bytes_hit,
        "bytes_missed": bytes_missed,
        "origin_time": origin_time,
        "slices": slices,
        "read_times": read_times,
        "stale_ages": stale_ages,
    }
