"""Synthetic traces, for teaching, and for tests against theory."""

import dataclasses
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from vestigo.arguments import shown
from vestigo.errors import RulesError
from vestigo.trace.reading.read import read_trace
from vestigo.trace.trace import Trace
from vestigo.units import SECOND, Duration, as_python, parse_bytes, parse_share

START = 1_767_571_200 * SECOND
"""When a synthetic trace begins: 2026-01-05, midnight UTC."""

_BURST, _CALM = 1.0, 9.0  # mean seconds of a burst, and between two bursts
_SCAN_SPEED = 10

Numbers = npt.NDArray[np.int64]
Seconds = npt.NDArray[np.float64]


def synth(  # noqa: PLR0913 - a trace has this many sides, and each has a default
    reads: int,
    *,
    keys: int = 1_000,
    skew: float = 0.0,
    rate: float = 100.0,
    bursts: float = 1.0,
    churn: Duration | str | None = None,
    scans: int = 0,
    changes: Duration | str | None = None,
    nulls: str = "0%",
    nodes: int = 1,
    size: int | str = "1 KiB",
    cost: Duration | str = "10ms",
    seed: int = 0,
) -> Trace:
    """A trace of `reads` reads of one look-up. The same arguments give the same trace.

    - `keys`, `skew`: reads choose among so many keys by a Zipf law, the i-th most popular with a weight of
      ``1 / i**skew``; 0 is uniform. (G. K. Zipf, "Human Behavior and the Principle of Least Effort", 1949.)
    - `rate`: reads a second on average. They arrive as a Poisson process.
    - `bursts`: in bursts, a tenth of the time and a second long on average, reads are so many times denser.
    - `churn`: after about this time another, new key takes the place of a key.
    - `scans`: so many times, evenly spread, every key is read once more, in order, ten times as fast as `rate`.
    - `changes`: a key's value changes about this often, as a Poisson process; each change is a write.
    - `nulls`: the share of keys that have no value (``"10%"``).
    - `nodes`: reads and writes are spread over so many servers.
    - `size`, `cost`: medians; sizes differ by key, costs by read, both log-normally.

    Raises RulesError, with a sentence for every argument that is out of range.

    >>> trace = synth(10_000, keys=100, skew=0.9, changes="1m")
    >>> trace.reads, len(trace.keys), trace.source
    (10000, 100, 'synth')
    """
    wanted = _Wanted(reads, keys, skew, rate, bursts, scans, nulls, nodes, seed)
    spans, median_size = _checked(wanted, size, churn=churn, changes=changes, cost=cost)
    rng = np.random.default_rng(seed)
    seconds, rank = _arrivals(rng, wanted)
    waits = _Waits.of(rank, seconds)
    key = _numbered(rank, waits.running(waits.draw(rng, spans["churn"])))
    waits = _Waits.of(key, seconds)
    changed = waits.draw(rng, spans["changes"])
    written, write_row = waits.moments(rng, changed)
    version = waits.running(changed)
    nth = np.arange(len(written)) - np.repeat(np.cumsum(changed) - changed, changed)
    events = {
        "seconds": np.concatenate([seconds, written]),
        "key": np.concatenate([key, key[write_row]]),
        "version": np.concatenate([version, version[write_row] - changed[waits.place[write_row]] + nth + 1]),
        "write": np.repeat([False, True], [len(seconds), len(written)]),
    }
    return _trace(rng, events, wanted, median_size, spans["cost"] or 0.0)


@dataclass(frozen=True)
class _Wanted:
    reads: int
    keys: int
    skew: float
    rate: float
    bursts: float
    scans: int
    nulls: str
    nodes: int
    seed: int

    def problems(self) -> list[str]:
        """A sentence for each argument that is out of range."""
        problems = [
            f"synth: {name} = {shown(getattr(self, name))} is out of range; give {expected}"
            for name, kind, least, most, expected in (
                ("reads", int, 0, 2**40, "0 or more"),
                ("keys", int, 1, 2**30, "1 to 2^30"),
                ("skew", float, 0, 10, "0 to 10"),
                ("rate", float, 1e-6, 1e9, "1e-6 to 1e9 reads a second"),
                ("bursts", float, 1, 1e6, "1 (no bursts) to 1e6"),
                ("scans", int, 0, 1_000_000, "0 to 1,000,000"),
                ("nodes", int, 1, 65_535, "1 to 65,535"),
                ("seed", int, 0, 2**63, "0 or more"),
            )
            if not _is_within(getattr(self, name), kind, least, most)
        ]
        if not _is_share(self.nulls):
            problems.append(f'synth: nulls = {shown(self.nulls)} is out of range; give a share such as "10%"')
        return problems


def _is_within(value: object, kind: type, least: float, most: float) -> bool:
    number = as_python(value)
    kinds = (int,) if kind is int else (int, float)
    return isinstance(number, kinds) and not isinstance(number, bool) and least <= number <= most


def _is_share(text: object) -> bool:
    try:
        parse_share(text)
    except ValueError:
        return False
    return True


def _checked(wanted: _Wanted, size: int | str, **given: Duration | str | None) -> tuple[dict[str, float | None], int]:
    """Durations in seconds, and sizes in bytes. Raises RulesError with everything that is wrong, including `wanted`."""
    problems, spans, median_size = wanted.problems(), {}, 0
    for name, text in given.items():
        try:
            spans[name] = None if text is None else Duration.parse(text) / SECOND
            if spans[name] == 0 and name != "cost":
                problems.append(f"synth: {name} = {text} is not a duration; give None for never")
        except ValueError as error:
            problems.append(f"synth: {name}: {error}")
    try:
        median_size = parse_bytes(size)
    except ValueError as error:
        problems.append(f"synth: size: {error}")
    if problems:
        raise RulesError(problems)
    return spans, median_size


def _arrivals(rng: np.random.Generator, wanted: _Wanted) -> tuple[Seconds, Numbers]:
    """When each read comes, and the rank of its key. Scans are included."""
    seconds = np.cumsum(rng.exponential(1 / wanted.rate, wanted.reads))
    if wanted.bursts > 1 and wanted.reads:
        seconds = _densened(rng, seconds, wanted.bursts)
    weights = np.cumsum(1 / np.arange(1, wanted.keys + 1) ** wanted.skew)
    rank = np.searchsorted(weights, rng.random(wanted.reads) * weights[-1])
    end = seconds[-1] if wanted.reads else 0.0
    begins = end * np.arange(1, wanted.scans + 1) / (wanted.scans + 1)
    scan = np.arange(wanted.keys) / (wanted.rate * _SCAN_SPEED)
    seconds = np.concatenate([seconds, (begins[:, None] + scan).ravel()])
    rank = np.concatenate([rank, np.tile(np.arange(wanted.keys), wanted.scans)])
    order = np.argsort(seconds, kind="stable")
    return seconds[order], rank[order]


def _densened(rng: np.random.Generator, seconds: Seconds, times: float) -> Seconds:
    """The same arrivals, denser in bursts and thinner between them, so that the mean rate stays."""
    periods = int(seconds[-1] / (_BURST + _CALM)) * 2 + 10
    lengths = np.stack([rng.exponential(_CALM, periods), rng.exponential(_BURST, periods)], axis=1).ravel()
    speed = (_CALM + _BURST) / (_CALM + _BURST * times)  # the rate in calm times, relative to the mean
    busy = lengths * np.tile([speed, speed * times], periods)
    moved: Seconds = np.interp(
        seconds, np.concatenate([[0], np.cumsum(busy)]), np.concatenate([[0], np.cumsum(lengths)])
    )
    return moved


def _numbered(rank: Numbers, generation: Numbers) -> Numbers:
    """A number for each key that has held a rank, by rank and then by generation."""
    generations, nth = np.unique(generation, return_inverse=True)
    key: Numbers
    _, key = np.unique(rank * len(generations) + nth, return_inverse=True)
    return key


@dataclass(frozen=True)
class _Waits:
    """The time from each read back to the previous read of its group, or to the start. Sorted by group, then
    by time.
    """

    place: Numbers
    """The place of each read's wait."""
    row: Numbers
    """The read of each wait."""
    first: npt.NDArray[np.bool_]
    begin: Seconds
    end: Seconds

    @classmethod
    def of(cls, group: Numbers, seconds: Seconds) -> "_Waits":
        row = np.lexsort((seconds, group))
        first = np.diff(group[row], prepend=-1) != 0
        end = seconds[row]
        begin = np.where(first, 0.0, np.concatenate([[0.0], end])[: len(end)])
        place = np.empty_like(row)
        place[row] = np.arange(len(row))
        return cls(place, row, first, begin, end)

    def draw(self, rng: np.random.Generator, every: float | None) -> Numbers:
        """The number of events of a Poisson process, with mean distance `every`, in each wait."""
        if every is None:
            return np.zeros(len(self.row), np.int64)
        return rng.poisson((self.end - self.begin) / every)

    def running(self, counts: Numbers) -> Numbers:
        """For each read, the sum of `counts` over the waits of its group so far."""
        total = np.cumsum(counts)
        start = np.flatnonzero(self.first)
        before = np.repeat(total[start] - counts[start], np.diff(np.append(start, len(total))))
        return (total - before)[self.place]

    def moments(self, rng: np.random.Generator, counts: Numbers) -> tuple[Seconds, Numbers]:
        """The times of the events, given how many fall into each wait, and the read before which each comes."""
        wait = np.repeat(np.arange(len(counts)), counts)
        at = self.begin[wait] + rng.random(len(wait)) * (self.end - self.begin)[wait]
        return at[np.lexsort((at, wait))], self.row[wait]


def _trace(rng: np.random.Generator, events: dict[str, np.ndarray], wanted: _Wanted, size: int, cost: float) -> Trace:
    key, write = events["key"], events["write"]
    keys = int(key.max(initial=-1)) + 1
    found = rng.random(keys) >= float(parse_share(wanted.nulls))
    sizes = np.round(rng.lognormal(np.log(max(size, 1)), 1.0, keys) if size else np.zeros(keys)).astype(np.int64)
    costs = np.round(cost * SECOND * rng.lognormal(0.0, 0.5, len(key))).astype(np.int64)
    ids = pa.array(key, pa.int32())
    order = np.argsort(events["seconds"], kind="stable")
    columns = {
        "at": START + np.round(events["seconds"] * SECOND).astype(np.int64),
        "op": pa.DictionaryArray.from_arrays(pa.array(write.astype(np.int8)), pa.array(["read", "write"])),
        "key": pa.DictionaryArray.from_arrays(ids, pa.array([f"k{number}" for number in range(keys)], pa.string())),
        "found": found[key],
        "version": pa.array(events["version"]),
        "size": np.where(found[key], sizes[key], 0),
        "cost": pa.array(costs, mask=write),
    }
    if wanted.nodes > 1:
        columns["node"] = pa.array(rng.integers(1, wanted.nodes + 1, len(key)))
    return dataclasses.replace(read_trace(pa.table(columns).take(pa.array(order))), source="synth")
