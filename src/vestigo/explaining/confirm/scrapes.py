"""Reads scrapes of a running service: OpenMetrics or Prometheus text, CSV or JSON.

They are from anyone, so times are checked when they are read, and every number keeps the place where it stands.
"""

import contextlib
import csv
import io
import json
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple

import pyarrow as pa

from vestigo.data import Told
from vestigo.errors import InputError
from vestigo.trace.reading.column_kinds import Bad
from vestigo.trace.reading.tables import index_levels, rows_of
from vestigo.trace.reading.times import times
from vestigo.units import SECOND, as_python

_TABLE = ("at", "lookup")
_EPOCH = re.compile(r"(?<!\d)(\d{10}|\d{13}|\d{19})(?!\d)")
_TIME = re.compile(r"(\d{4})-?(\d\d)-?(\d\d)[T_ -](\d\d)[:-]?(\d\d)[:-]?(\d\d)")
_MOST_NS = 2**63 - 1
_TIME_EXPECTED = "a time with an offset (2026-03-17T08:00:00Z), or a number since 1970"
_AT = re.compile(r"^# at (\d{1,19})\n", re.MULTILINE)
"""Begins each scrape in a file that has several."""
_SHOWN = 60


class Sample(NamedTuple):
    """One number in a scrape."""

    name: str
    labels: Mapping[str, str]
    value: float
    place: str
    written: str = ""
    """What stands there, if that is no number."""


class Scrape(NamedTuple):
    """All numbers at one moment."""

    at_ns: int
    samples: Sequence[Sample]


def in_file(where: Path) -> list[Scrape]:
    """The scrapes in a file, or in all files of a folder. Raises InputError."""
    return [scrape for path in _files(where) for scrape in _scrapes(path)]


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
        try:
            return of_records(list(csv.DictReader(io.StringIO(text, newline=""))), str(path))
        except csv.Error as error:
            raise InputError(f"{path}: is no table: {error}; write a header and a row for each moment") from None
    if path.suffix in (".json", ".jsonl"):
        try:
            lines = text.splitlines() if path.suffix == ".jsonl" else [text]
            records = [json.loads(line) for line in lines if line.strip()]
        except ValueError as error:
            raise InputError(f"{path}: is not valid JSON: {error}") from None
        except RecursionError:
            raise InputError(f"{path}: is not a list of records: it is nested too deep") from None
        flat = [one for record in records for one in (record if isinstance(record, list) else [record])]
        return of_records(flat, str(path))
    parts = _AT.split(text)
    if len(parts) > 1 and not parts[0].strip():
        return [
            in_text(part, f"{path}, scrape {number}", int(at))
            for number, (at, part) in enumerate(zip(parts[1::2], parts[2::2], strict=True), 1)
        ]
    found_ns = _time_in(path.name)
    return [in_text(text, str(path), written_ns if found_ns is None else found_ns)]


def as_text(scrape: Scrape) -> str:
    """A scrape as text of Prometheus, after a comment that says when it was made. Several make one file.

    >>> print(as_text(Scrape(17, [Sample("hits", {"cache": "a"}, 3.0, "")])), end="")
    # at 17
    hits{cache="a"} 3
    """
    lines = [f"# at {scrape.at_ns}"]
    for one in scrape.samples:
        labels = ",".join(f'{name}="{_escaped(value)}"' for name, value in one.labels.items())
        lines.append(f"{one.name}{{{labels}}} {one.value:.17g}" if labels else f"{one.name} {one.value:.17g}")
    return "\n".join(lines) + "\n"


def _escaped(label: str) -> str:
    return label.replace("\\", "\\\\").replace("\n", "\\n").replace('"', '\\"')


def in_text(text: str, path: str, at_ns: int) -> Scrape:
    """Reads the text that a service shows, which is one moment: that of its samples, or `at_ns`. Raises InputError."""
    try:
        from prometheus_client import parser
        from prometheus_client.openmetrics import parser as open_parser
    except ModuleNotFoundError:
        raise InputError(
            f"{path}: takes the package prometheus_client; install it: pip install 'vestigo-replay[confirm]'"
        ) from None
    parse: Any = open_parser if text.rstrip().endswith("# EOF") else parser
    try:
        stated = [one for family in parse.text_string_to_metric_families(text) for one in family.samples]
        stamps = [_ns(float(one.timestamp)) for one in stated if one.timestamp is not None]
    except Exception as error:  # the parser raises whatever it stumbles over
        raise InputError(f"{path}: is no text of Prometheus or OpenMetrics: {str(error)[:_SHOWN]}") from None
    samples = [Sample(one.name, one.labels, float(one.value), f"{path}, {one.name}") for one in stated]
    return Scrape(max(stamps) if stamps else at_ns, samples)


def _time_in(name: str) -> int | None:
    """The moment that a file's name gives."""
    if (found := _TIME.search(name)) is not None:
        try:
            return _ns(datetime(*map(int, found.groups()), tzinfo=UTC).timestamp())  # type: ignore[misc, arg-type]
        except ValueError:
            return None
    number = _EPOCH.search(name)
    at_ns = 0 if number is None else int(number[1]) * 10 ** (19 - len(number[1]))
    return at_ns if 0 < at_ns <= _MOST_NS else None


def of_records(records: object, source: str) -> list[Scrape]:
    """Reads records, or a table of them. Each has the numbers of one moment, for one look-up or for all. Raises
    InputError.
    """
    rows = _as_records(records, source)
    moments = _moments(rows, source)
    counted = {name for record in rows for name, value in record.items() if _number(value) is not None}
    by_moment: dict[int, list[Sample]] = {}
    for number, (at_ns, record) in enumerate(zip(moments, rows, strict=True), 1):
        labels = {"lookup": str(record["lookup"])} if record.get("lookup") not in (None, "") else {}
        samples = by_moment.setdefault(at_ns, [])
        for name, value in record.items():
            if name in _TABLE or name not in counted or value is None or value == "":
                continue
            amount, place = _number(value), f"{source}, record {number}, {name}"
            known = math.nan if amount is None else amount
            samples.append(Sample(str(name), labels, known, place, "" if amount is not None else repr(value)[:_SHOWN]))
    return [Scrape(at_ns, samples) for at_ns, samples in by_moment.items()]


def _as_records(records: Any, source: str) -> list[Told]:
    if hasattr(records, "columns") and hasattr(records, "iloc"):
        return list(records.assign(**index_levels(records)).to_dict("records"))
    if isinstance(records, Mapping) or hasattr(records, "__arrow_c_stream__"):
        return list(rows_of(records).table.to_pylist())
    if isinstance(records, Iterable) and not isinstance(records, (str, bytes)):
        return list(records)
    raise InputError(f"{source}: {str(records)[:_SHOWN]} is no records; give files, a table, or a list of records")


def _moments(records: Sequence[Told], source: str) -> list[int]:
    """When each record was counted, in ns: an aware time, text with an offset, or a number since 1970 whose size tells
    the unit, as in a trace. Raises InputError.
    """
    has_at = [isinstance(record, Mapping) and record.get("at") not in (None, "") for record in records]
    given = [record["at"] for record, has in zip(records, has_at, strict=True) if has]
    written = [at.isoformat() if isinstance(at, datetime) else as_python(at) for at in given]
    numbers = all(isinstance(at, (int, float)) and not isinstance(at, bool) for at in written)
    if all(has_at) and numbers:
        with contextlib.suppress(Bad, pa.ArrowException, OverflowError):  # the wrong ones are named below
            return [int(at) for at in times(pa.array(written), None, None)]
    moments, problems, left = [], [], iter(zip(given, written, strict=True))
    for number, has in enumerate(has_at, 1):
        place = f"{source}, record {number}"
        if not has:
            problems.append(f"{place}: has no `at`; write when it was counted, and the counters by name")
            continue
        at, text = next(left)
        try:
            moments.append(int(times(pa.array([text]), None, None)[0]))
        except (Bad, pa.ArrowException, TypeError, OverflowError) as error:
            expected = error.expected if isinstance(error, Bad) else _TIME_EXPECTED
            problems.append(f"{place}: at = {str(at)[:_SHOWN]!r} is no time: it must be {expected}")
    if problems:
        raise InputError(few(problems))
    return moments


def few(problems: Sequence[str]) -> list[str]:
    """The first ten problems, and how many more there are."""
    more = [f"and {len(problems) - 10:,} more problems of this kind"] if len(problems) > 10 else []
    return [*problems[:10], *more]


def _number(value: Any) -> float | None:
    """None for another column, which is not a counter."""
    if isinstance(value, (bool, datetime)) or value is None:
        return None
    try:
        return float(value)
    except OverflowError:
        return math.inf
    except (TypeError, ValueError):
        return None


def _ns(seconds: float) -> int:
    """Raises ValueError for what is outside the years 1970 to 2262."""
    if not 0 <= seconds <= _MOST_NS // SECOND:
        raise ValueError("times reach from 1970 to 2262")
    return round(seconds * SECOND)
