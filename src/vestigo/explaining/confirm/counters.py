"""Counters of a running service, put together from its scrapes."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from vestigo.arguments import path_of
from vestigo.data import Data, Told
from vestigo.errors import InputError
from vestigo.explaining.confirm.scrapes import Scrape, few, in_file, of_records
from vestigo.rules.counter_names import CounterNames, Series
from vestigo.trace.trace import Longs
from vestigo.units import SECOND

RISING = ("reads", "hits", "misses", "loads", "evictions")
"""Counters that only rise, but for a restart; the others say how much there is now."""
NOW = ("entries", "bytes")
_SHOWN = 10
_MOST = 2.0**63
_IS_RIGHT = "a count is a whole number that only rises, zero or more, below 2^63"

Key = tuple[str, str | None]
"""A counter, and the look-up that it is of; None: of all."""


@dataclass(frozen=True, eq=False, repr=False)
class Counters(Data):
    """The numbers of a running cache at several moments. `read_counters` returns it."""

    at_ns: Longs
    """The moments, ascending."""
    values: Mapping[Key, np.ndarray]
    """The numbers at each moment, by counter and look-up. NaN where a scrape does not have one."""

    def to_dict(self) -> Told:
        each: dict[str, dict[str, list[float | None]]] = {}
        for (counter, lookup), numbers in self.values.items():
            each.setdefault(counter, {})[lookup or "all"] = [None if np.isnan(one) else float(one) for one in numbers]
        return {"at": [at / SECOND for at in self.at_ns.tolist()], **each}

    @property
    def restarts(self) -> int:
        """How often counters began anew."""
        falls = [np.diff(numbers) < 0 for (counter, _), numbers in self.values.items() if counter in RISING]
        return int(np.any(falls, axis=0).sum()) if falls else 0

    def rises(self, counter: str, lookup: str | None) -> np.ndarray | None:
        """How much a counter rose between each two moments, for a look-up or for all. None if no scrape has it."""
        numbers = self.values.get((counter, lookup))
        if numbers is None and lookup is None:
            rises = [self.rises(*key) for key in self.values if key[0] == counter]
            known = [rise for rise in rises if rise is not None]
            return np.asarray(np.sum(known, axis=0)) if known else None
        if numbers is None:
            return None
        rise = np.diff(filled := _filled(numbers))
        return np.asarray(np.where(rise < 0, filled[1:], rise))  # it began at zero after a restart

    def most(self, counter: str, lookup: str | None) -> float | None:
        """The largest number over all moments."""
        numbers = self.values.get((counter, lookup))
        if numbers is None and lookup is None:
            each = [numbers for (name, _), numbers in self.values.items() if name == counter]
            numbers = np.nansum(each, axis=0) if each else None
        return None if numbers is None else float(np.nanmax(numbers))

    @property
    def lookups(self) -> list[str]:
        return list(dict.fromkeys(lookup for _, lookup in self.values if lookup is not None))


def _filled(numbers: np.ndarray) -> np.ndarray:
    """Fills in counters that a scrape does not have: with the number before, or with zero before a counter was first
    seen.
    """
    last = np.maximum.accumulate(np.where(np.isnan(numbers), -1, np.arange(len(numbers))))
    return np.where(last < 0, 0.0, numbers[last])


def read_counters(where: object, names: CounterNames) -> Counters:
    """Reads a file, a folder of files, several files, or records in memory, with at least two moments.

    A record, or a row of CSV, has ``at``, maybe ``lookup``, and counters by name. A file of Prometheus or OpenMetrics
    text is one moment: the time of its samples, the time in its name (``2026-03-17T08-00-00.prom``, or seconds since
    1970), or the time of the file. Raises InputError.

    >>> rows = [{"at": 0, "hits": 0, "misses": 0}, {"at": 60, "hits": 45, "misses": 15}]
    >>> read_counters(rows, CounterNames()).rises("hits", None).tolist()
    [45.0]
    """
    if isinstance(where, (str, Path)):
        scrapes = in_file(path_of("counters", where))
    elif isinstance(where, Sequence) and where and all(isinstance(one, (str, Path)) for one in where):
        scrapes = [scrape for one in where for scrape in in_file(path_of("counters", one))]
    else:
        scrapes = of_records(where, "counters")
    return counters_of(scrapes, names)


def counters_of(scrapes: Sequence[Scrape], names: CounterNames) -> Counters:
    """The counters of at least two scrapes. Raises InputError."""
    moments = sorted({scrape.at_ns for scrape in scrapes})
    if len(moments) < 2:
        raise InputError(
            "counters: only one scrape; give at least two, so that their increase can be computed"
            if moments
            else "counters: no scrape found; give at least two"
        )
    values = _gathered(scrapes, moments, names)
    there = {counter for counter, _ in values}
    if "hits" not in there or not there & {"reads", "misses"}:
        raise InputError(_missing(scrapes, there))
    return Counters(np.array(moments, np.int64), values)


def _gathered(scrapes: Iterable[Scrape], moments: Sequence[int], names: CounterNames) -> dict[Key, np.ndarray]:
    """The sum of the samples of each counter and look-up, at each moment. Raises InputError for numbers that count
    nothing.
    """
    place = {at_ns: number for number, at_ns in enumerate(moments)}
    wanted = {counter: getattr(names, counter) or _by_its_name(counter) for counter in (*RISING, *NOW)}
    series: dict[Key, np.ndarray] = {}
    problems: list[str] = []
    for scrape in scrapes:
        for sample in scrape.samples:
            for counter, each in wanted.items():
                fitting = next((one for one in each if one.metric == sample.name and one.fits(sample.labels)), None)
                if fitting is None:
                    continue
                if not 0 <= sample.value <= _MOST or (counter in RISING and sample.value % 1):
                    said = sample.written or f"{sample.value:g}"
                    problems.append(f"{sample.place}: {said} is no count of {counter}; {_IS_RIGHT}")
                    continue
                numbers = series.setdefault((counter, fitting.lookup_in(sample.labels)), np.full(len(moments), np.nan))
                before = numbers[place[scrape.at_ns]]
                numbers[place[scrape.at_ns]] = sample.value + (0 if np.isnan(before) else before)
    if problems:
        raise InputError(few(problems))
    return series


def _by_its_name(counter: str) -> tuple[Series, ...]:
    return (Series.parse(f'{counter}{{lookup="{{lookup}}"}}'), Series.parse(counter))


def _missing(scrapes: Sequence[Scrape], there: set[str]) -> str:
    names = list(dict.fromkeys(sample.name for scrape in scrapes for sample in scrape.samples))
    shown = ", ".join(names[:_SHOWN]) + (", ..." if len(names) > _SHOWN else "") or "no numbers"
    lacks = "hits" if "hits" not in there else "misses or reads"
    return (
        f"counters: none says {lacks}; name them in the plan's [counters], such as "
        f"{lacks.split(maxsplit=1)[0]} = 'reads_total{{result=\"hit\"}}'; the scrapes have {shown}"
    )
