"""Counters of a running service: scrapes in files, as OpenMetrics or Prometheus text, CSV or JSON."""

import csv
import io
import json
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from vestigo.data import Data
from vestigo.errors import InputError
from vestigo.rules.counter_names import CounterNames, Series
from vestigo.trace.trace import Longs
from vestigo.units import SECOND

RISING = ("reads", "hits", "misses", "loads", "evictions")
"""Counters that only rise, but for a restart; the others say how much there is now."""
NOW = ("entries", "bytes")
_TABLE = ("at", "lookup")
_EPOCH = re.compile(r"(?<!\d)(\d{10}|\d{13}|\d{19})(?!\d)")
_TIME = re.compile(r"(\d{4})-?(\d\d)-?(\d\d)[T_ -](\d\d)[:-]?(\d\d)[:-]?(\d\d)")
_SHOWN = 10

Key = tuple[str, str | None]
"""A counter, and the look-up that it is of; None: of all."""


class Sample(NamedTuple):
    """One number in a scrape."""

    name: str
    labels: Mapping[str, str]
    value: float


class Scrape(NamedTuple):
    """All numbers at one moment."""

    at_ns: int
    samples: Sequence[Sample]


@dataclass(frozen=True, eq=False, repr=False)
class Counters(Data):
    """The numbers of a running cache at several moments. `read_counters` returns it."""

    at_ns: Longs
    """The moments, ascending."""
    values: Mapping[Key, np.ndarray]
    """The numbers at each moment, by counter and look-up. NaN where a scrape does not have one."""

    def to_dict(self) -> dict[str, Any]:
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
            each = [rise for key in self.values if key[0] == counter and (rise := self.rises(*key)) is not None]
            return np.asarray(np.sum(each, axis=0)) if each else None
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


def read_counters(where: Any, names: CounterNames) -> Counters:
    """Reads a file, a folder of files, several files, or records in memory, with at least two moments.

    A record, or a row of CSV, has ``at``, maybe ``lookup``, and counters by name. A file of Prometheus or OpenMetrics
    text is one moment: the time of its samples, the time in its name (``2026-03-17T08-00-00.prom``, or seconds since
    1970), or the time of the file. Raises InputError.

    >>> rows = [{"at": 0, "hits": 0, "misses": 0}, {"at": 60, "hits": 45, "misses": 15}]
    >>> read_counters(rows, CounterNames()).rises("hits", None).tolist()
    [45.0]
    """
    if isinstance(where, (str, Path)):
        scrapes = [scrape for path in _files(Path(where)) for scrape in _scrapes(path)]
    elif isinstance(where, Sequence) and where and all(isinstance(one, (str, Path)) for one in where):
        scrapes = [scrape for one in where for path in _files(Path(one)) for scrape in _scrapes(path)]
    else:
        scrapes = _of_records(where, "counters")
    moments = sorted({scrape.at_ns for scrape in scrapes})
    if len(moments) < 2:
        raise InputError(
            "counters: only one scrape; give at least two, so that their increase can be computed"
            if moments
            else "counters: no scrape found; give at least two"
        )
    values = _gathered(scrapes, moments, names)
    if not any(counter == "hits" for counter, _ in values) or len({counter for counter, _ in values}) < 2:
        raise InputError(_missing(scrapes, values))
    return Counters(np.array(moments, np.int64), values)


def _files(path: Path) -> list[Path]:
    if path.is_dir():
        found = sorted(one for one in path.iterdir() if one.is_file() and not one.name.startswith("."))
        if not found:
            raise InputError(f"{path}: the folder holds no file; write scrapes to it")
        return found
    return [path]


def _scrapes(path: Path) -> list[Scrape]:
    try:
        text = path.read_text(encoding="utf-8")
        written_ns = path.stat().st_mtime_ns
    except OSError as error:
        raise InputError(f"{path}: cannot be read: {error.strerror}") from None
    except UnicodeDecodeError:
        raise InputError(f"{path}: is not UTF-8 text; give Prometheus or OpenMetrics text, CSV or JSON") from None
    if path.suffix == ".csv":
        return _of_records(list(csv.DictReader(io.StringIO(text, newline=""))), str(path))
    if path.suffix in (".json", ".jsonl"):
        try:
            lines = text.splitlines() if path.suffix == ".jsonl" else [text]
            records = [json.loads(line) for line in lines if line.strip()]
        except ValueError as error:
            raise InputError(f"{path}: is not valid JSON: {error}") from None
        flat = [one for record in records for one in (record if isinstance(record, list) else [record])]
        return _of_records(flat, str(path))
    return [_of_text(text, path, written_ns)]


def _of_text(text: str, path: Path, written_ns: int) -> Scrape:
    """Reads the text that a service shows, which is one moment."""
    try:
        from prometheus_client import parser
        from prometheus_client.openmetrics import parser as open_parser
    except ModuleNotFoundError:
        raise InputError(
            f"{path}: takes the package prometheus_client; install it: pip install 'vestigo-replay[confirm]'"
        ) from None
    parse: Any = open_parser if text.rstrip().endswith("# EOF") else parser
    try:
        found = [one for family in parse.text_string_to_metric_families(text) for one in family.samples]
    except (ValueError, KeyError, IndexError) as error:
        raise InputError(f"{path}: is no text of Prometheus or OpenMetrics: {error}") from None
    stamps = [round(float(one.timestamp) * SECOND) for one in found if one.timestamp is not None]
    at_ns = max(stamps) if stamps else _time_in(path.name)
    return Scrape(
        written_ns if at_ns is None else at_ns, [Sample(one.name, one.labels, float(one.value)) for one in found]
    )


def _time_in(name: str) -> int | None:
    """The moment that a file's name gives."""
    if (found := _TIME.search(name)) is not None:
        try:
            return int(datetime(*map(int, found.groups()), tzinfo=UTC).timestamp()) * SECOND  # type: ignore[misc, arg-type]
        except ValueError:
            return None
    number = _EPOCH.search(name)
    return None if number is None else int(number[1]) * 10 ** (19 - len(number[1]))


def _of_records(records: Any, source: str) -> list[Scrape]:
    """Reads records. Each has the numbers of one moment, for one look-up or for all."""
    found: dict[int, list[Sample]] = {}
    problems: list[str] = []
    each = records.to_dict("records") if hasattr(records, "to_dict") else records
    for number, record in enumerate(each if isinstance(each, Iterable) else [each], 1):
        place = f"{source}, record {number}"
        if not isinstance(record, Mapping) or "at" not in record:
            problems.append(f"{place}: has no `at`; write when it was counted, and the counters by name")
            continue
        labels = {"lookup": str(record["lookup"])} if record.get("lookup") not in (None, "") else {}
        try:
            samples = found.setdefault(_moment(record["at"]), [])
        except (TypeError, ValueError) as error:
            problems.append(f"{place}: at = {record['at']!r} is no time: {error}")
            continue
        for name, value in record.items():
            if name in _TABLE or value in (None, ""):
                continue
            try:
                samples.append(Sample(str(name), labels, float(value)))
            except (TypeError, ValueError):
                continue  # another column, which is not a counter
    if problems:
        raise InputError(problems)
    return [Scrape(at_ns, samples) for at_ns, samples in found.items()]


def _moment(at: Any) -> int:
    """Reads a moment: text with an offset, or seconds since 1970. Raises ValueError or TypeError."""
    if not isinstance(at, str) or re.fullmatch(r"\d+(\.\d+)?", at):
        return round(float(at) * SECOND)
    moment = datetime.fromisoformat(at)
    if moment.tzinfo is None:
        raise ValueError("it has no offset; write 2026-03-17T08:00:00Z")
    return round(moment.timestamp() * SECOND)


def _gathered(scrapes: Iterable[Scrape], moments: Sequence[int], names: CounterNames) -> dict[Key, np.ndarray]:
    """The sum of the samples of each counter and look-up, at each moment."""
    place = {at_ns: number for number, at_ns in enumerate(moments)}
    wanted = {counter: getattr(names, counter) or _by_its_name(counter) for counter in (*RISING, *NOW)}
    found: dict[Key, np.ndarray] = {}
    for scrape in scrapes:
        for sample in scrape.samples:
            for counter, each in wanted.items():
                fitting = next((one for one in each if one.metric == sample.name and one.fits(sample.labels)), None)
                if fitting is None:
                    continue
                numbers = found.setdefault((counter, fitting.lookup_in(sample.labels)), np.full(len(moments), np.nan))
                before = numbers[place[scrape.at_ns]]
                numbers[place[scrape.at_ns]] = sample.value + (0 if np.isnan(before) else before)
    return found


def _by_its_name(counter: str) -> tuple[Series, ...]:
    return (Series.parse(f'{counter}{{lookup="{{lookup}}"}}'), Series.parse(counter))


def _missing(scrapes: Sequence[Scrape], values: Mapping[Key, Any]) -> str:
    names = list(dict.fromkeys(sample.name for scrape in scrapes for sample in scrape.samples))
    shown = ", ".join(names[:_SHOWN]) + (", ..." if len(names) > _SHOWN else "") or "no numbers"
    there = {counter for counter, _ in values}
    lacks = "hits" if "hits" not in there else "misses or reads"
    return (
        f"counters: none says {lacks}; name them in the plan's [counters], such as "
        f"{lacks.split(maxsplit=1)[0]} = 'reads_total{{result=\"hit\"}}'; the scrapes have {shown}"
    )
