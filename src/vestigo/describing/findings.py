"""What is likely wrong with keys: they are too narrow, too wide, used by two look-ups, or spelled in several ways."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from itertools import chain

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.data import Data
from vestigo.describing.measure import Reads
from vestigo.prepared.neighbours import changed, goes_on, seen_before
from vestigo.threads import each_side_by_side
from vestigo.trace import Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.names import arrow_names
from vestigo.units import counted, format_share

NARROW = "too narrow"
WIDE = "too wide"
SHARED = "used by two look-ups"
SPELLINGS = "in several spellings"

_SHOWN = 5
_LEAST_READS = 50
_LOOKED_AT = 100_000
_UNIQUE = 0.9
_GAIN = 0.2
_LEAST_RETURNS = 3
_USUAL_SIZES = 3
"""Of each key, left aside where sizes alone tell: a value comes plain and in one or two packings."""
_BY_CHANCE = 1e-3
"""Not raised where sizes that vary by chance would do as much in more of such traces."""
_SEPARATORS = re.compile(r"[/:|;,?&=#_.\s-]+")


@dataclass(frozen=True, eq=False, repr=False)
class Finding(Data):
    """Something that is likely wrong with the keys of a look-up, with keys that show it."""

    kind: str
    lookup: str
    sentence: str
    reads: int
    """How many reads it touches."""
    examples: tuple[str, ...]


@dataclass(frozen=True)
class Keys:
    """The distinct keys that were read: id, text, look-up, and number of reads."""

    ids: np.ndarray
    texts: pa.Array
    lookup: np.ndarray
    reads: np.ndarray

    def by_lookup(self) -> Iterator[tuple[int, "Keys"]]:
        order = np.argsort(self.lookup, kind="stable")
        for rows in np.split(order, np.flatnonzero(np.diff(self.lookup[order])) + 1):
            if len(rows):
                texts = self.texts.take(pa.array(rows))
                yield int(self.lookup[rows[0]]), Keys(self.ids[rows], texts, self.lookup[rows], self.reads[rows])

    def first(self, number: int) -> "Keys":
        part = slice(0, number)
        return Keys(self.ids[part], self.texts[part], self.lookup[part], self.reads[part])


def findings(trace: Trace, reads: Reads) -> tuple[Finding, ...]:
    """All findings. Those that touch most reads come first."""
    counts = np.bincount(reads.key, minlength=len(trace.keys))
    ids = np.flatnonzero(counts)
    texts = arrow_names(trace.keys).take(pa.array(ids)).cast(pa.large_string())
    keys = Keys(ids, texts, trace.key_lookup[ids], counts[ids])
    searches = [partial(_wide, trace, reads, keys), partial(_shared, trace, keys)]
    for lookup, own in keys.by_lookup():
        searches += [partial(search, trace.lookups[lookup], own) for search in (_narrow, _spellings)]
    found = each_side_by_side(lambda search: [*search()], searches)
    return tuple(sorted(chain.from_iterable(found), key=lambda one: -one.reads))


def _narrow(name: str, keys: Keys) -> Iterator[Finding]:
    """Keys with a part that differs at nearly every read, so that no key comes again. Very many keys are judged by the
    first ones.
    """
    total = int(keys.reads.sum())
    if total < _LEAST_READS or len(keys.ids) < _UNIQUE * total:
        return
    keys = keys.first(_LOOKED_AT)
    parts = [_SEPARATORS.split(text) for text in keys.texts.to_pylist()]
    lengths = np.array([len(one) for one in parts])
    usual = int(np.bincount(lengths).argmax())
    rows = np.flatnonzero(lengths == usual)
    if usual < 2 or len(rows) < _UNIQUE * len(parts):
        return
    codes = [_codes([parts[row][place] for row in rows]) for place in range(usual)]
    reads = keys.reads[rows]
    for place in range(usual):
        if codes[place].max() + 1 < _UNIQUE * len(rows):
            continue
        others = [codes[other] for other in range(usual) if other != place]
        without = 1 - len(np.unique(np.stack(others), axis=1).T) / int(reads.sum())
        now = 1 - len(rows) / int(reads.sum())
        if without >= now + _GAIN:
            examples = tuple(keys.texts[int(row)].as_py() for row in rows[:_SHOWN])
            yield Finding(
                NARROW,
                name,
                f"part {place + 1} of the key (for example {parts[rows[0]][place]!r}) is different at nearly every "
                f"read; without it, {format_share(without)} of the reads would repeat a key instead of "
                f"{format_share(now)}",
                total,
                examples,
            )


def _codes(values: list[str]) -> np.ndarray:
    codes: np.ndarray = pa.array(values, pa.large_string()).dictionary_encode().indices.to_numpy()
    return codes


def _wide(trace: Trace, reads: Reads, keys: Keys) -> Iterator[Finding]:
    """Keys whose value goes back and forth between reads: several answers under one key."""
    by_versions = bool((trace.version[reads.row] != MISSING).any())
    known = np.ones(len(reads), bool) if by_versions else _has_unusual_size(reads)
    key, value = reads.key[known], (reads.value if by_versions else reads.size)[known]
    here, there = _returns(key, value)
    returns = np.bincount(key[here], minlength=len(trace.keys))
    changes = np.bincount(key[there], minlength=len(trace.keys))
    suspected = (returns >= _LEAST_RETURNS) & (2 * returns >= changes)
    if not by_versions and suspected.any():
        suspected &= _is_no_chance(key, value, here, there, len(trace.keys))
    suspects = keys.ids[suspected[keys.ids]]
    what, else_chance = ("versions", "") if by_versions else ("sizes", _OTHERWISE)
    for lookup in np.unique(trace.key_lookup[suspects]):
        own = suspects[trace.key_lookup[suspects] == lookup]
        own = own[np.argsort(-returns[own], kind="stable")]
        touched = int(keys.reads[np.searchsorted(keys.ids, own)].sum())
        back = int(returns[own].sum())
        yield Finding(
            WIDE,
            trace.lookups[lookup],
            f"the {what} of {counted(len(own), 'key')} switch back and forth: {counted(back, 'read')} returned to an "
            f"earlier one{else_chance}; the key probably lacks something that the answer depends on",
            touched,
            tuple(str(trace.keys[int(key)]) for key in own[:_SHOWN]),
        )


_OTHERWISE = (
    f", the {_USUAL_SIZES} most usual sizes of each left aside (sizes that vary by chance do that in fewer than 1 of "
    f"{1 / _BY_CHANCE:,.0f} such traces)"
)


def _has_unusual_size(reads: Reads) -> np.ndarray:
    """The reads of known values whose size is not among the most usual sizes of the key."""
    known = np.flatnonzero(~(reads.size_assumed | reads.null))
    known = known[np.lexsort((reads.size[known], reads.key[known]))]
    key, size = reads.key[known], reads.size[known]
    begins = np.flatnonzero(np.diff(key, prepend=-1) | np.diff(size, prepend=-1))  # reads with the same key and size
    counts = np.diff(begins, append=len(known))
    keys = key[begins]
    rank = np.empty(len(begins), np.int64)
    rank[np.lexsort((-counts, keys))] = np.arange(len(begins)) - np.searchsorted(keys, keys)
    unusual = np.zeros(len(reads), bool)
    unusual[known] = np.repeat(rank >= _USUAL_SIZES, counts)
    return unusual


def _is_no_chance(key: np.ndarray, value: np.ndarray, here: np.ndarray, there: np.ndarray, keys: int) -> np.ndarray:
    """For each key, whether its sizes return too often for sizes that are drawn evenly from twice the span of their
    middle half.

    Such a draw returns to an earlier size by chance, and the more sizes there were the more likely that is. The number
    of returns is bounded as for sums of independent trials (H. Chernoff, 1952).
    """
    order = np.lexsort((value, key))
    begins = np.searchsorted(key[order], np.arange(keys))
    reads = np.bincount(key, minlength=keys)
    at = [np.minimum(begins + reads * quarter // 4, len(key) - 1) for quarter in (1, 3)]
    width = 2 * (value[order][at[1]] - value[order][at[0]]) + 1
    is_first = ~goes_on(key)
    is_new = is_first.copy()
    is_new[there] = True
    is_new[here] = False
    seen = np.cumsum(is_new)
    seen -= (seen[is_first] - 1)[np.cumsum(is_first) - 1]
    chance = np.minimum(seen[there - 1] / width[key[there]], 1)
    expected = np.bincount(key[there], chance, minlength=keys)
    returns = np.bincount(key[here], minlength=keys)
    with np.errstate(divide="ignore", invalid="ignore"):
        log_odds = np.where(returns > expected, returns * np.log(expected / returns) + returns - expected, 0.0)
    is_rare: np.ndarray = log_odds <= np.log(_BY_CHANCE / max(keys, 1))
    return is_rare


def _returns(key: np.ndarray, value: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Reads that find a value which the key had earlier, and all reads that find another value than the read before."""
    other = changed(key, value)
    return np.flatnonzero(other & seen_before(value, key)), np.flatnonzero(other)


def _shared(trace: Trace, keys: Keys) -> Iterator[Finding]:
    """Texts that two look-ups use as keys. In one cache they would be one entry."""
    codes = keys.texts.dictionary_encode()
    text = codes.indices.to_numpy()
    order = np.lexsort((keys.lookup, text))
    second = np.flatnonzero(goes_on(text[order]))
    first, second = order[second - 1], order[second]
    pairs = keys.lookup[first].astype(np.int64) * len(trace.lookups) + keys.lookup[second]
    by_pair = np.argsort(pairs, kind="stable")
    for rows in np.split(by_pair, np.flatnonzero(np.diff(pairs[by_pair])) + 1):
        if len(rows) == 0:
            continue
        names = [trace.lookups[lookup] for lookup in divmod(int(pairs[rows[0]]), len(trace.lookups))]
        touched = int(keys.reads[first[rows]].sum() + keys.reads[second[rows]].sum())
        yield Finding(
            SHARED,
            names[0],
            f"{counted(len(rows), 'key')} are keys of {names[1]!r} too; in one cache without a prefix, a read of one "
            "would get the value of the other",
            touched,
            tuple(keys.texts[int(row)].as_py() for row in first[rows[:_SHOWN]]),
        )


def _spellings(name: str, keys: Keys) -> Iterator[Finding]:
    """Keys that differ only in case, in the order of parameters, or in a slash at the end."""
    texts = keys.texts
    lower = pc.utf8_lower(texts)
    for what, normal in (
        ("case", lower),
        ("a slash at the end", _without_slash(texts)),
        ("the order of their parameters", _sorted_parameters(texts)),
    ):
        codes = normal.dictionary_encode().indices.to_numpy()
        several = np.bincount(codes)[codes] > 1
        rows = np.flatnonzero(several)
        if len(rows) == 0:
            continue
        rows = rows[np.argsort(codes[rows], kind="stable")]
        groups = len(np.unique(codes[rows]))
        yield Finding(
            SPELLINGS,
            name,
            f"{len(rows):,} keys differ only in {what} and may be {counted(groups, 'key')}: "
            f"{len(rows) - groups:,} more first loads than need be",
            int(keys.reads[rows].sum()),
            tuple(texts[int(row)].as_py() for row in rows[:_SHOWN]),
        )


def _without_slash(texts: pa.Array) -> pa.Array:
    """A path without its slash at the end, also if parameters follow."""
    return pc.replace_substring_regex(texts, r"([^/])/+(\?|$)", r"\1\2")


def _sorted_parameters(texts: pa.Array) -> pa.Array:
    """The keys with their parameters in order. Only keys with at least two parameters are looked at one by one."""
    rows = np.flatnonzero(pc.match_substring_regex(texts, r"=[^&]*&[^&]*=").to_numpy(zero_copy_only=False))
    if len(rows) == 0:
        return texts
    values = texts.take(pa.array(rows)).to_pylist()
    inside = np.zeros(len(texts), bool)
    inside[rows] = True
    return pc.replace_with_mask(texts, pa.array(inside), pa.array(map(_in_order, values), pa.large_string()))


def _in_order(text: str) -> str:
    path, sign, parameters = text.rpartition("?")
    return path + sign + "&".join(sorted(parameters.split("&")))
