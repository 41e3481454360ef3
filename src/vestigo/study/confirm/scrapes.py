"""Reads scrapes of a running service: OpenMetrics or Prometheus text, CSV or JSON.

They are from anyone, so times are checked when they are read, and every number keeps the place where it stands.
"""

import csv
import io
import json
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple

from vestigo.errors import InputError
from vestigo.units import SECOND

_TABLE = ("at", "lookup")
_EPOCH = re.compile(r"(?<!\d)(\d{10}|\d{13}|\d{19})(?!\d)")
_TIME = re.compile(r"(\d{4})-?(\d\d)-?(\d\d)[T_ -](\d\d)[:-]?(\d\d)[:-]?(\d\d)")
_MOST_NS = 2**63 - 1
_SHOWN = 60


class Sample(NamedTuple):
    """One number in a scrape."""

    name: str
    labels: Mapping[str, str]
    value: float
    place: str


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
        stamps = [_ns(float(one.timestamp)) for one in found if one.timestamp is not None]
    except Exception as error:  # the parser raises whatever it stumbles over
        raise InputError(f"{path}: is no text of Prometheus or OpenMetrics: {str(error)[:_SHOWN]}") from None
    at_ns = max(stamps) if stamps else _time_in(path.name)
    samples = [Sample(one.name, one.labels, float(one.value), f"{path}, {one.name}") for one in found]
    return Scrape(written_ns if at_ns is None else at_ns, samples)


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


def of_records(records: Any, source: str) -> list[Scrape]:
    """Reads records. Each has the numbers of one moment, for one look-up or for all. Raises InputError."""
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
        except (TypeError, ValueError, OverflowError) as error:
            problems.append(f"{place}: at = {str(record['at'])[:_SHOWN]!r} is no time: {str(error)[:_SHOWN]}")
            continue
        for name, value in record.items():
            if name in _TABLE or value in (None, "") or (amount := _number(value)) is None:
                continue
            samples.append(Sample(str(name), labels, amount, f"{place}, {name}"))
    if problems:
        raise InputError(few(problems))
    return [Scrape(at_ns, samples) for at_ns, samples in found.items()]


def few(problems: Sequence[str]) -> list[str]:
    """The first ten problems, and how many more there are."""
    more = [f"and {len(problems) - 10:,} more problems of this kind"] if len(problems) > 10 else []
    return [*problems[:10], *more]


def _number(value: Any) -> float | None:
    """None for another column, which is not a counter."""
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


def _moment(at: Any) -> int:
    """Reads a moment: text with an offset, or seconds since 1970. Raises ValueError or TypeError."""
    if not isinstance(at, str) or re.fullmatch(r"\d+(\.\d+)?", at):
        return _ns(float(at))
    moment = datetime.fromisoformat(at)
    if moment.tzinfo is None:
        raise ValueError("it has no offset; write 2026-03-17T08:00:00Z")
    return _ns(moment.timestamp())
