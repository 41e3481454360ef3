"""Why a read was a miss: one row a cause, in the order of docs/semantics.md."""

from collections.abc import Mapping
from typing import NamedTuple


class Cause(NamedTuple):
    """The name of a cause for people, and what it means."""

    label: str
    meaning: str


WORDS: Mapping[str, Cause] = {
    "first": Cause("first read", "The key was never loaded before. Only a preload could help."),
    "elsewhere": Cause("loaded elsewhere", "The key was loaded, but on another node or in another scope."),
    "evicted": Cause("size limit", "The entry had to make room for another one."),
    "aged": Cause("absolute expiry", "The absolute lifetime ended, or that of a null."),
    "idle": Cause("sliding expiry", "Nobody read the entry for as long as the sliding lifetime."),
    "fixed_time": Cause("fixed times", "A fixed time of day, or a fixed moment, passed."),
    "dropped": Cause("drops", "A write removed the entry, or the program took it out of its cache."),
    "cleared": Cause("clears", "The look-up was cleared, by hand or on schedule."),
    "restarted": Cause("restarts", "The process restarted and lost what it held."),
    "null": Cause("nulls not kept", "The origin had nothing the last time, and the rules do not keep that."),
    "refused": Cause("refused values", "The rules did not accept the value, or it was too large."),
    "forced": Cause("forced reads", "The caller asked for a fresh value, or removed the entry first."),
    "loading": Cause("still loading", "Another read was loading the key at that time, and readers do not wait."),
}
"""By the name that JSON and Python have for it."""

CAUSES = tuple(WORDS)
