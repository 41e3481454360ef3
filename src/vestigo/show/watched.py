"""Shows single reads and keys as text: the first reads of a trace, and the keys where most is lost."""

from collections.abc import Sequence
from math import isnan

from rich.console import Group, RenderableType
from rich.text import Text

from vestigo.outcome import Keys, Reads
from vestigo.show.grid import Column, grid, in_one_unit, in_own_units
from vestigo.show.outcome import count
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import SECOND, SIZES, SPANS, counted

_READS = 10
_KEYS = 5
_LOSSES = {
    "misses": "most misses",
    "origin_time_ns": "most origin time",
    "stale_hits": "most stale hits",
    "idle_byte_ns": "most idle memory",
}


@shown.register
def reads_text(reads: Reads) -> RenderableType:
    """The first reads, as a table."""
    part = reads.trace.block(0, _READS * 10)
    frame = Reads(part, reads.answers.part(0, len(part)), reads.counted_from).to_pandas()[:_READS]
    names = [f"{at:%m-%d %H:%M:%S.%f}"[:-3] for at in frame["at"]]
    columns = [
        Column("look-up", "", [printable(str(name), 16) for name in frame["lookup"]]),
        Column("key", "", [printable(str(key), 16) for key in frame["key"]]),
        Column("answer", "", [str(answer) for answer in frame["answer"]]),
        Column("cause", "", [_text(cause) for cause in frame["cause"]]),
        in_own_units("read time", frame["read_time"].tolist(), SPANS),
        Column("age", "", _spans(frame["age"].tolist())),
        Column("stale for", "", _spans(frame["stale_age"].tolist())),
    ]
    more = f"The first {len(names):,} of {counted(len(reads), 'read')}." if len(reads) > len(names) else ""
    return Group(grid("at (UTC)", names, columns, [""] * len(names)), Text(more))


@shown.register
def keys_text(keys: Keys, lookups: Sequence[str] | None = None) -> RenderableType:
    """A table for each kind of loss, with the keys that have most of it. If `lookups` are named, it shows only their
    keys.
    """
    parts: list[RenderableType] = []
    for loss, title in _LOSSES.items():
        worst = keys.worst(loss, _KEYS, lookups).tolist()
        if worst:
            parts += [Text(), keys_table(keys, title, worst)]
    return Group(*parts[1:]) if parts else Text("No key was missed, stale or held.")


def keys_table(keys: Keys, title: str, worst: Sequence[int], links: Sequence[str] = ()) -> RenderableType:
    """A row for each key. On a page, its name leads to the address in `links`."""

    def amounts(name: str) -> list[float]:
        return [float(one) for one in keys.column(name)[worst]]

    span = max(keys.trace.span_ns, 1)
    stale = (
        count("stale hits", amounts("stale_hits"))
        if keys.changes_shown
        else Column("stale hits", "", ["-"] * len(worst))
    )
    columns = [
        count("reads", amounts("reads")),
        count("hits", amounts("hits")),
        count("misses", amounts("misses")),
        Column("mostly", "", [keys.main_cause(key) if keys.column("misses")[key] else "" for key in worst]),
        in_one_unit("origin time", [one / SECOND for one in amounts("origin_time_ns")], SPANS),
        stale,
        in_one_unit("mean size", _means(amounts("kept_bytes"), amounts("kept")), SIZES),
        in_one_unit("idle, mean", [one / span for one in amounts("idle_byte_ns")], SIZES),
    ]
    return grid(title, [_key_name(keys, key) for key in worst], columns, [""] * len(worst), links=links)


def _key_name(keys: Keys, key: int) -> str:
    """The name of a key, with its look-up if there are several."""
    lookup = f"{keys.trace.lookups[keys.trace.key_lookup[key]]} " if len(keys.trace.lookups) > 1 else ""
    return f"{lookup}{keys.trace.keys[key]}"


def _means(sums: Sequence[float], counts: Sequence[float]) -> list[float]:
    return [one / number if number else 0.0 for one, number in zip(sums, counts, strict=True)]


def _text(cause: object) -> str:
    return cause if isinstance(cause, str) else ""


def _spans(seconds: Sequence[float]) -> list[str]:
    """Times, each in the unit that suits it. A missing one is empty."""
    cells = in_own_units("", [0.0 if isnan(one) else one for one in seconds], SPANS).cells
    return ["" if isnan(one) else cell for cell, one in zip(cells, seconds, strict=True)]
