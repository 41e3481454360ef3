# The native kernel's face (native/bind/kernel.cpp).
from enum import Enum
from typing import Any, overload

import numpy as np
import numpy.typing as npt

CAUSES: tuple[str, ...]
COUNTS: tuple[str, ...]
SUMS: tuple[str, ...]
MOSTS: tuple[str, ...]

class Nulls(Enum):
    skip = 0
    keep = 1
    blind = 2

class OnWrite(Enum):
    leave = 0
    drop = 1
    replace = 2

class Overlap(Enum):
    repeat = 0
    join = 1

class Loading(Enum):
    instant = 0
    timed = 1
    spared = 2

class Eviction(Enum):
    lru = 0
    fifo = 1
    mru = 2
    random = 3
    clock = 4
    sieve = 5
    lfu = 6
    lfu_da = 7
    lru_k = 8
    slru = 9
    two_q = 10
    arc = 11
    lirs = 12
    s3_fifo = 13
    w_tiny_lfu = 14
    gdsf = 15
    belady = 16

class PoolRules:
    max_entries: int
    max_bytes: int
    trims: bool
    trim_entries: int
    trim_bytes: int
    refuses: bool
    eviction: Eviction
    eviction_numbers: list[int]

class Rules:
    absolute: int
    sliding: int
    null_lifetime: int
    jitter: int
    null_jitter: int
    drop_first: bool
    survives_restart: bool
    entry_overhead: int
    hit_cost: int
    nulls: Nulls
    on_write: OnWrite
    overlap: Overlap

class Per(Enum):
    all = 0
    node = 1
    scope = 2

class TellNodes(Enum):
    nothing = 0
    drop = 1
    copy = 2

class Collect(Enum):
    touch = 0
    prompt = 1
    every = 2

class RoomRules(Rules):
    lookup: int
    pool: int
    pinned: bool
    passes: bool
    least_size: int
    most_size: int
    least_cost: int
    most_cost: int
    refresh_of: int
    refresh_to: int
    serve_stale: int
    collect: Collect
    collect_every: int
    reloads: bool
    tell_nodes: TellNodes
    tell_delay: int
    batch: int
    hit_cost_per_kib: int

class Columns:
    def __init__(
        self,
        at: npt.NDArray[np.int64],
        key: npt.NDArray[np.int32],
        value: npt.NDArray[np.int32],
        stretch: npt.NDArray[np.int32],
        mark: npt.NDArray[np.uint8],
        size: npt.NDArray[np.int64],
        cost: npt.NDArray[np.int64],
        node: npt.NDArray[np.int32],
        scope: npt.NDArray[np.int32],
        keys: int,
        truth: Truth,
        before: Columns | None = None,
    ) -> None: ...
    @property
    def events(self) -> int: ...

class Truth:
    def __init__(self, keys: int, unnamed_writes: bool) -> None: ...
    def see(
        self,
        at: npt.NDArray[np.int64],
        mark: npt.NDArray[np.uint8],
        key: npt.NDArray[np.int32],
        version: npt.NDArray[np.int32],
        found: npt.NDArray[np.int8],
    ) -> tuple[npt.NDArray[np.int32], npt.NDArray[np.int32], npt.NDArray[np.uint8], npt.NDArray[np.int32]]: ...

class Numbering:
    def __init__(self, keys: int) -> None: ...
    def number(
        self, key: npt.NDArray[np.int32], node: npt.NDArray[np.int32], loads: npt.NDArray[np.uint8]
    ) -> npt.NDArray[np.int32]: ...
    def is_first(self) -> npt.NDArray[np.uint8]: ...
    def keys(self) -> npt.NDArray[np.int32]: ...
    def nodes(self) -> npt.NDArray[np.int32]: ...

class Replay:
    @overload
    def __init__(
        self,
        entry_rooms: npt.NDArray[np.int32],
        entry_keys: npt.NDArray[np.int32] | None,
        entry_is_first: npt.NDArray[np.uint8] | None,
        keys: int,
        lookups: list[Rules],
        room_lookups: list[int],
        room_nodes: list[int],
        room_is_of_node: list[bool],
        room_pools: list[int],
        pools: list[PoolRules],
        clears: list[npt.NDArray[np.int64]],
        first_counted: int,
        loading: Loading,
        news_take: int,
        slice_origin: int,
        slice_width: int,
        slices: int,
    ) -> None: ...
    @overload
    def __init__(
        self,
        entry_rooms: npt.NDArray[np.int32],
        entry_keys: npt.NDArray[np.int32] | None,
        entry_nodes: npt.NDArray[np.int32] | None,
        keys: int,
        rooms: list[RoomRules],
        pools: list[PoolRules],
        per: list[Per],
        clears: list[npt.NDArray[np.int64]],
        expires: list[npt.NDArray[np.int64]],
        lookups: int,
        nodes: int,
        unnamed_node: bool,
        last_rows: npt.NDArray[np.int64],
        scopes_at_once: int,
        scope_slots: int,
        first_counted: int,
        loading: Loading,
        news_take: int,
        slice_origin: int,
        slice_width: int,
        slices: int,
    ) -> None: ...
    def feed(
        self,
        batch: Columns,
        next_read: npt.NDArray[np.int64] | None = None,
    ) -> None: ...
    def close(self) -> dict[str, Any]: ...

class Curve:
    def __init__(
        self,
        entry_lookups: npt.NDArray[np.int32],
        entry_nodes: npt.NDArray[np.int32] | None,
        chosen: npt.NDArray[np.uint8],
        overhead: int,
        replaces: bool,
        entries: list[int],
        sliding: list[int],
    ) -> None: ...
    def feed(self, batch: Columns, uncounted: int) -> None: ...
    def counts(
        self,
    ) -> tuple[int, npt.NDArray[np.int64], npt.NDArray[np.int64], npt.NDArray[np.int64], npt.NDArray[np.int64]]: ...
