"""Makes traces from others: a part, a sample, another pace, several together, or without the names of keys.

Each function takes a trace in any form, returns a new Trace, and does not change the old one. All but `between` keep
clears and restarts.
"""

import contextlib
import dataclasses
import hashlib
from collections.abc import Sequence
from datetime import datetime, timedelta
from fractions import Fraction

import numpy as np
import pyarrow as pa

from vestigo.arguments import argument, positive, several, shown, text, whole_number
from vestigo.errors import RulesError, TraceError, raise_for_unknown
from vestigo.recording.hashing import hasher
from vestigo.trace.columns import EARLIEST, LATEST, MISSING
from vestigo.trace.formats.prepared import prepared_table
from vestigo.trace.names import Names, arrow_names
from vestigo.trace.reading.build import Origin, build_trace, check_columns, dense
from vestigo.trace.reading.column_kinds import Bad
from vestigo.trace.reading.pattern import Pattern
from vestigo.trace.reading.read import Readable, read_trace
from vestigo.trace.reading.times import UNITS, WITH_OFFSET, likely_unit, times
from vestigo.trace.trace import COLUMNS, Parts, Trace
from vestigo.units import Duration, as_python, parse_share

__all__ = ["anonymised", "between", "faster", "merged", "only", "sampled"]

_FASTEST = 10**9


def __dir__() -> list[str]:
    return __all__


Moment = str | int | datetime | timedelta


def between(trace: Readable, begin: Moment | None = None, end: Moment | None = None) -> Trace:
    """The events from `begin` on and before `end`. Both are RFC 3339 text with an offset, an aware datetime, a number
    of ns since 1970, as `Trace.at` has them, or a duration (``"2h"``) since the first event. Raises RulesError.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [0, 10**9, 2 * 10**9], "key": ["a", "b", "c"]})
    >>> between(trace, "1s").keys[:]
    ['b', 'c']
    """
    trace = read_trace(trace)
    begin_ns = None if begin is None else moment_in(trace, "begin", begin)
    end_ns = None if end is None else moment_in(trace, "end", end)
    if begin_ns is not None and end_ns is not None and end_ns < begin_ns:
        raise RulesError(f"end: {end} is before {begin}, where the part is to begin; exchange them")
    first = 0 if begin_ns is None else np.searchsorted(trace.at, begin_ns)
    last = len(trace) if end_ns is None else np.searchsorted(trace.at, end_ns)
    part = trace if last - first == len(trace) else of_rows(trace, np.arange(first, last))
    return _noted(trace, part, "no event is between these times")


def only(
    trace: Readable,
    *,
    lookups: Sequence[str] | None = None,
    keys: str | None = None,
    nodes: Sequence[str] | None = None,
) -> Trace:
    """The events of some look-ups, of keys that a pattern (``"/tiles/9/{...}"``) matches, of some nodes.

    Events without a node, and clears of everything, belong to all. Raises UnknownName for names that the trace does not
    have.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [1, 2, 3], "key": ["9/1", "10/1", "9/2"]})
    >>> only(trace, keys="9/{}").keys[:]
    ['9/1', '9/2']
    """
    trace = read_trace(trace)
    if lookups is keys is nodes is None:
        return trace
    kept = np.ones(len(trace), bool)
    if lookups is not None:
        kept &= np.isin(trace.lookup, _ids("look-up", lookups, trace.lookups)) | (trace.lookup == MISSING)
    if nodes is not None:
        kept &= np.isin(trace.node, _ids("node", nodes, trace.nodes)) | (trace.node == MISSING)
    if keys is not None:
        kept &= _of_keys(trace, _matched(trace, text("keys", keys)))
    return _noted(trace, of_rows(trace, np.flatnonzero(kept)), "no event is of these look-ups, keys and nodes")


def sampled(trace: Readable, sample: str, seed: int = 0) -> Trace:
    """All events of a share of the keys (``"10%"``).

    The text of a key decides whether it is in, so that traces of one system agree. Raises RulesError.
    """
    part = argument("sample", parse_share, sample)
    if part == 0:
        raise RulesError(f'sample: {sample!r} leaves nothing; write a share above 0%, such as "10%"')
    salt = whole_number("seed", seed, 0, 2**63).to_bytes(16, "little", signed=True)
    trace = read_trace(trace)
    limit = int(part * 2**64)
    names = [name.encode() for name in trace.lookups]
    draws = [
        int.from_bytes(hashlib.blake2b(str(key).encode(), digest_size=8, key=names[lookup][:64], salt=salt).digest())
        for key, lookup in zip(arrow_names(trace.keys).to_pylist(), trace.key_lookup.tolist(), strict=True)
    ]
    return of_rows(
        trace, np.flatnonzero(_of_keys(trace, np.array(draws, np.uint64) < limit if limit < 2**64 else True))
    )


def faster(trace: Readable, speed: float) -> Trace:
    """The same events, `speed` times as fast, from the same start. Costs stay as they are. Raises RulesError.

    >>> from vestigo import read_trace
    >>> faster(read_trace({"at": [5, 15, 25], "key": ["a", "b", "c"]}), 2).at.tolist()
    [5, 10, 15]
    """
    ratio = Fraction(positive("speed", speed)).limit_denominator(1_000_000)
    if ratio == 0:
        raise RulesError(f"speed: {speed:g} makes the time too long; choose at least 0.000001")
    if ratio > _FASTEST:
        raise RulesError(f"speed: {speed:g} leaves nothing of the time; choose one up to {_FASTEST:,}")
    trace = read_trace(trace)
    if len(trace) == 0:
        return trace
    whole, rest = np.divmod(trace.at - trace.at[0], ratio.numerator)
    if int(whole[-1]) * ratio.denominator > LATEST - int(trace.at[0]):
        raise RulesError(f"speed: {speed:g} stretches the trace past the year 2100; choose a larger one")
    at = trace.at[0] + whole * ratio.denominator + rest * ratio.denominator // ratio.numerator
    return dataclasses.replace(trace, at=at)


def merged(traces: Sequence[Readable]) -> Trace:
    """One trace of all events, in time order. Events of the same time are in the order of the traces.

    Versions are the same if they have the same name.
    """
    parts = [read_trace(trace) for trace in several("traces", traces, "[morning, evening]")]
    if not parts:
        raise TraceError("there is no trace to merge")
    pieces = [check_columns(_table(trace, number), Origin(trace.source)) for number, trace in enumerate(parts, 1)]
    merged_in = build_trace(pieces, " and ".join(trace.source for trace in parts))
    return dataclasses.replace(merged_in, moved=0)


def anonymised(trace: Readable, secret: bytes | str) -> Trace:
    """The trace with keys, versions, scopes and nodes hashed with a secret (BLAKE2b). Look-ups keep their names.

    The same name and secret give the same hash in every trace, so traces can be merged afterwards. Times, sizes and
    costs stay. Raises RulesError if the secret is shorter than 8 bytes.
    """
    trace = read_trace(trace)
    keyed = hasher(secret)
    own = keyed(trace.at[: 1 << 16].tobytes().hex())  # for ids without texts, in this trace alone

    def hashed(names: Sequence[object], ids: np.ndarray) -> Names:
        texts = (
            arrow_names(names).to_pylist()
            if len(names)
            else [f"{own} {n}" for n in range(int(ids.max(initial=-1)) + 1)]
        )
        return Names(pa.array(map(keyed, texts), pa.string()))

    return dataclasses.replace(
        trace,
        keys=hashed(trace.keys, trace.key),
        versions=hashed(trace.versions, trace.version),
        scopes=hashed(trace.scopes, trace.scope),
        nodes=tuple(keyed(node) for node in trace.nodes),
        source="anonymised",
        notes=(),
    )


def of_rows(trace: Trace, rows: np.ndarray) -> Trace:
    """Some of the events, with new ids."""
    parts: Parts = {}
    kept: dict[str, np.ndarray] = {}
    for column in COLUMNS.values():
        parts[column.name] = getattr(trace, column.name)[rows]
        if column.texts:
            parts[column.name], kept[column.texts] = dense(parts[column.name].astype(np.int64))
            parts[column.texts] = _some_names(getattr(trace, column.texts), kept[column.texts])
    place = np.full(len(trace.lookups) + 1, MISSING, np.int32)
    place[kept["lookups"]] = np.arange(len(kept["lookups"]))
    return dataclasses.replace(trace, **parts, key_lookup=place[trace.key_lookup[kept["keys"]]])


def _some_names(names: Sequence[object], kept: np.ndarray) -> Sequence[object]:
    if isinstance(names, tuple):
        return tuple(names[old] for old in kept) if names else ()
    return Names(arrow_names(names), kept) if len(names) else ()


def _of_keys(trace: Trace, chosen: np.ndarray | bool) -> np.ndarray:
    """The events of chosen keys, and events without a key."""
    flags = np.append(np.broadcast_to(chosen, len(trace.keys)), True)
    of_keys: np.ndarray = flags[trace.key]  # MISSING is the last
    return of_keys


def _matched(trace: Trace, pattern: str) -> np.ndarray:
    try:
        return Pattern.parse("", pattern).keys(arrow_names(trace.keys).cast(pa.large_string()))[0]
    except ValueError as error:
        raise TraceError(str(error)) from None


def _ids(what: str, names: Sequence[str], known: tuple[str, ...]) -> list[int]:
    for name in several(f"{what}s", names, f'["{known[0] if known else what}"]'):
        raise_for_unknown(what, name, known)
    return [known.index(name) for name in names]


def _noted(trace: Trace, part: Trace, nothing: str) -> Trace:
    """The part of a trace, with a note if that is nothing."""
    if len(part) or not len(trace):
        return part
    return dataclasses.replace(part, notes=(*part.notes, f"{trace.source}: {nothing}, so nothing is left"))


def moment_in(trace: Trace, name: str, moment: Moment) -> int:
    """A moment in ns since 1970. Raises RulesError, which names the argument."""
    given = as_python(moment)
    if isinstance(given, (str, timedelta)) or getattr(getattr(given, "dtype", None), "kind", "") == "m":
        with contextlib.suppress(ValueError):  # it is a time, or nothing
            given = Duration.parse(given)
    if isinstance(given, Duration):
        return (int(trace.at[0]) if len(trace) else 0) + int(given)
    if type(given) is int:
        return _ns_in(trace, name, given)
    written = given.isoformat() if isinstance(given, datetime) else given
    try:
        return int(times(pa.array([written], pa.string()), None, None)[0])
    except (Bad, pa.ArrowException, TypeError, UnicodeEncodeError) as error:
        is_naive = isinstance(error, Bad) and error.expected == WITH_OFFSET
        with_offset = str(written).replace(" ", "T") if is_naive else "2026-03-17T08:00:00"
        raise RulesError(
            f"{name}: {shown(given)} is {'a time without an offset' if is_naive else 'not a time'}; write a duration "
            f"since the first event (8h), or a time with an offset ({with_offset}Z)"
        ) from None


def _ns_in(trace: Trace, name: str, at_ns: int) -> int:
    """A number of ns since 1970. Raises RulesError if it seems to count something else."""
    unit = likely_unit(pa.array([min(max(at_ns, EARLIEST), LATEST)]))
    if unit != "ns" and len(trace) and not trace.at[0] <= at_ns <= trace.at[-1]:
        raise RulesError(
            f"{name}: {at_ns} counts ns since 1970, as the trace does, and is outside of it; if it counts {unit}, "
            f"write {at_ns} * {UNITS[unit]}"
        )
    return min(max(at_ns, EARLIEST), LATEST)


def _table(trace: Trace, number: int) -> pa.Table:
    """The trace as a table. Versions and scopes without texts get texts that are unique to this trace, the `number`-th
    of those that are merged.
    """
    table = prepared_table(trace)
    for name, names in (("version", trace.versions), ("scope", trace.scopes)):
        if name in table.column_names and not len(names):
            texts = pa.array([f"{number}.{one}" for one in range(1, int(getattr(trace, name).max()) + 2)])
            column = pa.DictionaryArray.from_arrays(table[name].chunk(0).indices, texts)
            table = table.set_column(table.column_names.index(name), name, column)
    return table
