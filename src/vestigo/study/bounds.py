"""What settings are measured against: no cache at all, and what no settings can pass on the same trace."""

import dataclasses

import numpy as np

from vestigo.engine.native.fill import fill
from vestigo.rules import Rules
from vestigo.rules.values import Nulls
from vestigo.study.truths import truths
from vestigo.trace import Op, Trace
from vestigo.trace.reading.build import dense
from vestigo.trace.trace import MISSING

NO_CACHE = "no cache"
KEEP_ALL = "no limits"
ALWAYS_FRESH = "no limits, fresh"


def no_cache() -> Rules:
    """Rules under which nothing fits: every read loads."""
    return Rules.model_construct(max_bytes=0, entry_overhead=1, nulls=Nulls("keep"))


def keep_all() -> Rules:
    """Unlimited room, no expiry; a write puts its value in place. With instant loads this answers every
    read whose key was loaded or written since the last clear or restart, and no rules answer more.
    """
    return Rules(nulls="keep", on_write="replace")


def with_versions_as_keys(trace: Trace) -> Trace:
    """The trace with one key for each value that a key ever had.

    Kept without limits, it answers a read just if the present value was loaded or written since the last
    clear or restart: no rules give more fresh hits.
    """
    value, null = truths(trace)
    keyed = trace.op <= Op.REMOVE
    pair = trace.key.astype(np.int64) * (int(value.max(initial=0)) + 1) + value
    key, pairs = dense(np.where(keyed, pair, MISSING))
    first = np.zeros(len(pairs), np.int64)
    first[key[keyed][::-1]] = np.flatnonzero(keyed)[::-1]
    return dataclasses.replace(
        trace,
        key=key,
        key_lookup=trace.lookup[first],
        keys=range(len(pairs)),
        size=fill(trace, null)[0],
        found=np.where(keyed, ~null, MISSING).astype(np.int8),
        version=np.full(len(trace), MISSING, np.int32),
    )
