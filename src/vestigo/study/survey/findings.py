"""What is likely wrong with keys: too narrow, too wide, used by two look-ups, or one key in several spellings."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.study.survey.measure import Reads
from vestigo.study.truths import truths
from vestigo.trace import Trace
from vestigo.trace.names import arrow_names
from vestigo.trace.trace import MISSING
from vestigo.units import counted, format_share

NARROW = "too narrow"
WIDE = "too wide"
SHARED = "used by two look-ups"
SPELLINGS = "several spellings"

_SHOWN = 5
_LEAST_READS = 50
_LOOKED_AT = 100_000
_UNIQUE = 0.9
_GAIN = 0.2
_LEAST_RETURNS = 3
_SEPARATORS = re.compile(r"[/:|;,?&=#_.\s-]+")


@dataclass(frozen=True)
class Finding:
    """One thing that is likely wrong with the keys of a look-up, with keys that show it."""

    kind: str
    lookup: str
    sentence: str
    reads: int
    """How many reads it touches."""
    examples: tuple[str, ...]

    def to_dict(self) -> dict[str, Any]:
        return {**vars(self), "examples": list(self.examples)}


@dataclass(frozen=True)
class Keys:
    """The distinct keys that were read: id, text, look-up, and how often."""

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
    """Those that touch most reads first."""
    ids, counts = np.unique(reads.key, return_counts=True)
    texts = arrow_names(trace.keys).take(pa.array(ids)).cast(pa.large_string())
    keys = Keys(ids, texts, trace.key_lookup[ids], counts)
    found = [*_shared(trace, keys), *_wide(trace, reads, keys)]
    for lookup, own in keys.by_lookup():
        name = trace.lookups[lookup]
        found += [*_narrow(name, own), *_spellings(name, own)]
    return tuple(sorted(found, key=lambda one: -one.reads))


def _narrow(name: str, keys: Keys) -> Iterator[Finding]:
    """A part that is another one at nearly every read, so that no key comes again. Very many keys are judged by the
    first of them."""
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
                f"part {place + 1} of its keys ({parts[rows[0]][place]!r}, say) is another one at nearly every read; "
                f"without it {format_share(without)} of its reads would repeat a key, instead of {format_share(now)}",
                total,
                examples,
            )


def _codes(values: list[str]) -> np.ndarray:
    codes: np.ndarray = pa.array(values, pa.large_string()).dictionary_encode().indices.to_numpy()
    return codes


def _wide(trace: Trace, reads: Reads, keys: Keys) -> Iterator[Finding]:
    """Keys whose value goes back and forth between reads: several answers under one key."""
    version = trace.version[reads.row]
    told = truths(trace).value[reads.row] if (version != MISSING).any() else reads.size
    here, there = _returns(reads.key, told)
    returns = np.bincount(reads.key[here], minlength=len(trace.keys))
    turns = np.bincount(reads.key[there], minlength=len(trace.keys))
    suspects = keys.ids[(returns[keys.ids] >= _LEAST_RETURNS) & (2 * returns[keys.ids] >= turns[keys.ids])]
    what = "versions" if (version != MISSING).any() else "sizes"
    for lookup in np.unique(trace.key_lookup[suspects]):
        own = suspects[trace.key_lookup[suspects] == lookup]
        own = own[np.argsort(-returns[own], kind="stable")]
        touched = int(keys.reads[np.searchsorted(keys.ids, own)].sum())
        back = int(returns[own].sum())
        yield Finding(
            WIDE,
            trace.lookups[lookup],
            f"{counted(len(own), 'key')} had several {what} at once: {back:,} times a read found again what one before "
            "the last had found; something that the answer depends on is missing from the key",
            touched,
            tuple(str(trace.keys[int(key)]) for key in own[:_SHOWN]),
        )


def _returns(key: np.ndarray, told: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Reads that find a value which the key had before the present one; and all that find another than the last."""
    turn = np.zeros(len(key), bool)
    turn[1:] = (key[1:] == key[:-1]) & (told[1:] != told[:-1])
    order = np.lexsort((np.arange(len(key)), told, key))
    seen = np.zeros(len(key), bool)
    seen[order[1:]] = (key[order[1:]] == key[order[:-1]]) & (told[order[1:]] == told[order[:-1]])
    return np.flatnonzero(turn & seen), np.flatnonzero(turn)


def _shared(trace: Trace, keys: Keys) -> Iterator[Finding]:
    """Texts that two look-ups use as keys: in one cache they would be one entry."""
    codes = keys.texts.dictionary_encode()
    text = codes.indices.to_numpy()
    order = np.lexsort((keys.lookup, text))
    same = np.flatnonzero(text[order[1:]] == text[order[:-1]])
    first, second = order[same], order[same + 1]
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
            f"{counted(len(rows), 'key')} of it are keys of {names[1]!r} too: kept under one name, the one would be "
            "given for the other",
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
    """Of a path, also where parameters follow."""
    return pc.replace_substring_regex(texts, r"([^/])/+(\?|$)", r"\1\2")


def _sorted_parameters(texts: pa.Array) -> pa.Array:
    """Only keys with two parameters or more are looked at one by one."""
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
