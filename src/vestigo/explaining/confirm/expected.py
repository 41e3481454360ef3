"""What of a running cache is normal at each hour of the day, as a replay of its settings predicts it."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from vestigo.arguments import argument, path_of
from vestigo.data import Data, Told, can_be_kept
from vestigo.engine import what_if
from vestigo.engine.context import assumptions
from vestigo.engine.job import job
from vestigo.engine.watch import answers_of
from vestigo.errors import InputError, RulesError, unknown
from vestigo.explaining.confirm.measured import FEW
from vestigo.files import write_text
from vestigo.prepared.counting import first_counted
from vestigo.rules import Plan
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.trace import Op, Readable, Trace
from vestigo.units import SECOND, parse_share

if TYPE_CHECKING:
    import pandas as pd

HOUR_NS = 3600 * SECOND
HOURS = 24
_PIECE_NS = 300 * SECOND
_ENOUGH = 8
"""So many pieces tell how much an hour varies."""
_ONE_IN_A_THOUSAND = 3.29
"""Standard errors beyond which chance comes once in a thousand times."""


@can_be_kept
class Normal(NamedTuple):
    """What is normal in one hour of the day (UTC), for one look-up or for all."""

    hour: int
    lookup: str | None
    reads: float
    """In such an hour, in the recording."""
    hit_rate: float
    low: float
    """So many reads have a lower hit rate by chance only once in a thousand times."""
    high: float
    variance: float
    """That of the hit rate, times the number of reads."""

    def range(self, reads: float, tolerated: float) -> tuple[float, float]:
        """The hit rates that are normal for another number of reads."""
        half = _ONE_IN_A_THOUSAND * sqrt(self.variance / max(reads, 1.0)) + tolerated
        return max(self.hit_rate - half, 0.0), min(self.hit_rate + half, 1.0)


@dataclass(frozen=True, eq=False, repr=False)
class Expected(Data):
    """The hit rates that are normal at each hour of the day. `expected` returns it."""

    source: str
    hours: Sequence[Normal]
    tolerated: float
    """A share of the reads, by which normal ranges are wider than chance makes them."""
    assumptions: Sequence[str] = ()

    def at(self, at_ns: int, lookup: str | None) -> Normal | None:
        """What is normal at a moment. None if the recording has nothing of that hour."""
        hour = at_ns // HOUR_NS % HOURS
        return next((one for one in self.hours if (one.hour, one.lookup) == (hour, lookup)), None)

    @property
    def lookups(self) -> list[str]:
        return list(dict.fromkeys(one.lookup for one in self.hours if one.lookup is not None))

    def to_dict(self) -> Told:
        return {
            "source": self.source,
            "zone": "UTC",
            "tolerated": self.tolerated,
            "hours": [one._asdict() for one in self.hours],
            "assumptions": list(self.assumptions),
        }

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each hour of each look-up, and of all together."""
        import pandas as pd

        return pd.DataFrame([one._asdict() for one in self.hours], columns=Normal._fields)

    def write(self, path: str | Path) -> Path:
        """Writes the ranges as CSV or JSON, as the ending says. Raises InputError."""
        path = path_of("path", path)
        if path.suffix == ".json":
            write_text(path, json.dumps(self.to_dict(), indent=2, ensure_ascii=False) + "\n")
        elif path.suffix == ".csv":
            told = self.to_pandas().drop(columns="variance").rename(columns={"hour": "hour_utc"})
            write_text(path, told.to_csv(index=False, float_format="%.6g"))
        else:
            raise InputError(f"{path}: is neither .csv nor .json; name the file so")
        return path

    def __repr__(self) -> str:
        return (
            f"<Expected of {self.source}: {len({one.hour for one in self.hours})} hours, {len(self.lookups)} look-ups>"
        )


def expected(
    trace: Readable, settings: Settings, *, tolerate: str = "1%", nodes: Sequence[str] | None = None
) -> Expected:
    """The hit rates that a replay holds for normal, by hour of the day (UTC), for all look-ups together and for each.

    How much a rate varies within an hour, from one five minutes to the next, says how far chance moves it. A range is
    as wide as chance makes it once in a thousand times, and `tolerate` wider. With `nodes`, only their reads count.

    Raises InputError for a trace without counted reads, and RulesError if the settings do not fit it.

    >>> from vestigo import Rules, synth
    >>> found = expected(synth(reads=5_000, keys=100, seed=1), Rules(max_entries=20))
    >>> found.hours[0].low < found.hours[0].hit_rate < found.hours[0].high
    True
    """
    share = float(argument("tolerate", parse_share, tolerate))
    stated = plan_of(settings)
    on, plan = what_if.applied(trace_of(trace, stated), stated)
    asked = job(on, plan)
    first = first_counted(on, plan.warm_up)
    is_counted = on.op == Op.READ
    is_counted[:first] = False
    if nodes is not None:
        is_counted &= np.isin(on.node, nodes_of(on, plan, nodes))
    rows = np.flatnonzero(is_counted)
    if not len(rows):
        raise InputError(f"{on.source}: has no reads that count, so nothing is known to be normal")
    hit = answers_of(asked).hit[rows]
    hours = _hours(on.at[rows], hit, None, share)
    for number, name in enumerate(on.lookups):
        own = on.lookup[rows] == number
        if own.sum() >= FEW * len(rows):
            hours += _hours(on.at[rows][own], hit[own], name, share)
    return Expected(on.source, hours, share, assumptions(asked))


def nodes_of(trace: Trace, plan: Plan, names: Sequence[str]) -> tuple[int, ...]:
    """The numbers of nodes by name. Raises InputError for one that the trace does not have, and RulesError if nodes
    share a cache.
    """
    there = [str(one) for one in trace.nodes]
    if problems := [f"nodes: {unknown(name, there)}" for name in names if name not in there]:
        raise InputError(problems)
    shared = [name for name in trace.lookups if plan.rules_for(name).per == "all"]
    if shared:
        raise RulesError(f'nodes: {shared[0]} has one cache for all nodes (per = "all"); compare all of them')
    return tuple(there.index(name) for name in names)


def _hours(at: np.ndarray, hit: np.ndarray, lookup: str | None, tolerated: float) -> list[Normal]:
    hour = at // HOUR_NS % HOURS
    reads = np.bincount(hour, minlength=HOURS).astype(float)
    rates = np.bincount(hour, hit, minlength=HOURS) / np.maximum(reads, 1)
    days = np.array([len(np.unique(at[hour == each] // HOUR_NS)) for each in range(HOURS)])
    variances = np.maximum(_variances(at, hit, rates), rates * (1 - rates))
    found = []
    for each in np.flatnonzero(reads).tolist():
        in_an_hour = float(reads[each] / days[each])
        normal = Normal(each, lookup, in_an_hour, float(rates[each]), 0.0, 1.0, float(variances[each]))
        low, high = normal.range(in_an_hour, tolerated)
        found.append(normal._replace(low=low, high=high))
    return found


def _variances(at: np.ndarray, hit: np.ndarray, rates: np.ndarray) -> np.ndarray:
    """For each hour, how much the rate of a piece of time varies around that of its hour, for one read. Hours with few
    pieces get what all have together.
    """
    piece, place = np.unique(at // _PIECE_NS, return_inverse=True)
    reads = np.bincount(place).astype(float)
    hour = piece * _PIECE_NS // HOUR_NS % HOURS
    squares = reads * (np.bincount(place, hit) / reads - rates[hour]) ** 2
    pieces = np.bincount(hour, minlength=HOURS)
    freedom = np.maximum(pieces - 1, 0)
    together = squares.sum() / max(freedom.sum(), 1)
    each: np.ndarray = np.bincount(hour, squares, minlength=HOURS) / np.maximum(freedom, 1)
    return np.where(pieces >= _ENOUGH, each, together)
