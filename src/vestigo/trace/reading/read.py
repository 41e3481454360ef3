"""Reads a trace from files."""

import csv
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace.formats import access_log, spans_file
from vestigo.trace.formats.access_log import read_access_log
from vestigo.trace.formats.arrow_file import read_arrow
from vestigo.trace.formats.csv_file import read_csv
from vestigo.trace.formats.json_file import read_json_lines
from vestigo.trace.formats.packed import PACKINGS, check_text, open_bytes
from vestigo.trace.formats.parquet_file import read_parquet
from vestigo.trace.formats.prepared import is_prepared, open_prepared
from vestigo.trace.formats.raw import Raw, Wanted
from vestigo.trace.formats.spans_file import read_spans
from vestigo.trace.reading.build import Checked, Clock, Origin, build_trace, check_columns
from vestigo.trace.reading.columns import NAMES
from vestigo.trace.reading.intake import Intake
from vestigo.trace.reading.meaning import Defaults, Meaning
from vestigo.trace.reading.sources import Source, sources
from vestigo.trace.trace import Trace

_TABLE = Defaults({name: f"{{{name}}}" for name in NAMES})
_LOG = Defaults(access_log.COLUMNS, access_log.MATCH, access_log.NULL_WHERE)
_SPANS = Defaults(spans_file.COLUMNS, spans_file.MATCH)


class _Format(NamedTuple):
    read: Callable[[Path, Wanted], Raw]
    defaults: Defaults


_TEXTS = {
    "csv": _Format(read_csv, _TABLE),
    "tsv": _Format(read_csv, _TABLE),
    "jsonl": _Format(read_json_lines, _TABLE),
    "ndjson": _Format(read_json_lines, _TABLE),
    "json": _Format(read_json_lines, _TABLE),
    "log": _Format(read_access_log, _LOG),
    "otlp": _Format(read_spans, _SPANS),
}
_FORMATS = {f"{name}{packing}": known for name, known in _TEXTS.items() for packing in PACKINGS} | {
    "parquet": _Format(read_parquet, _TABLE),
    "arrow": _Format(read_arrow, _TABLE),
}
_ENDINGS = tuple(f".{name}" for name in _FORMATS)


def read_trace(source: str | Path, intake: Intake | None = None, **options: Any) -> Trace:
    """The trace in a file, in all files of a folder, in those that a pattern (``logs/*.gz``) fits, or in standard
    input (``"-"``).

    Files are CSV, TSV, JSON Lines, access logs in the Common or Combined format (``.log``), OpenTelemetry spans in
    OTLP JSON, all of these plain or packed (``.gz``, ``.bz2``, ``.zst``), Parquet, Arrow IPC, or prepared by
    `write_trace`.
    The columns are those of docs/semantics.md, section 1; an `Intake`, or its fields as options, says what others
    mean; options come on top of it. A prepared file says itself what it holds, and is asked for more only by options.
    Rows out of order are sorted, and `Trace.moved` says how many; `Trace.notes` says what was
    assumed or left out. Raises TraceError, which names file, line or row, column, and what was expected.
    """
    intake = (intake or Intake()).with_options(options)
    if intake.format is not None and intake.format not in _FORMATS:
        raise TraceError(f"format: {intake.format!r} is unknown; known are {', '.join(_FORMATS)}")
    with sources(source, _ENDINGS, intake.format) as files:
        if (
            len(files) == 1
            and not options.keys() - {"format"}
            and (prepared := _prepared(files[0], intake)) is not None
        ):
            return prepared
        notes: list[str] = []
        guessed: list[str] = []
        pieces = [_read(file, intake, notes, guessed) for file in files]
    return build_trace(pieces, files[0].name if len(files) == 1 else str(source), notes, guessed)


def _prepared(file: Source, intake: Intake) -> Trace | None:
    """The trace, if the file holds one that needs no more than being mapped."""
    if _format_name(file, intake) != "arrow":
        return None
    try:
        return open_prepared(file.path) if is_prepared(file.path) else None
    except (OSError, pa.ArrowException):
        return None  # whatever it is, the reader of tables says it


def _read(file: Source, intake: Intake, notes: list[str], guessed: list[str]) -> Checked:
    name = _format_name(file, intake)
    already = len(guessed)
    try:
        file.path.open("rb").close()  # for the system's own words where that fails
        if name not in ("parquet", "arrow"):
            check_text(file.path)
        known = _FORMATS["otlp"] if name.startswith(("json", "ndjson")) and _holds_spans(file.path) else _FORMATS[name]
        meaning = Meaning(intake, known.defaults)
        raw = known.read(file.path, meaning.wanted)
        table, place, said = meaning.apply(raw, file.name)
        cost_unit = intake.cost_unit
        if known.read is read_spans and meaning.templates["cost"].plain == spans_file.COLUMNS["cost"].strip("{}"):
            cost_unit = cost_unit or "ns"  # as the standard has it
        in_log = known.read is read_access_log and meaning.templates["cost"].plain == "duration"
        if in_log and cost_unit is None and "cost" in table.column_names:
            cost_unit = access_log.duration_unit(table["cost"])
            guessed.append(f"the requests' durations taken as {cost_unit} (cost_unit states another unit)")
        origin = Origin(file.name, place, guessed.append)
        checked = check_columns(table, origin, Clock(intake.at_unit, cost_unit, intake.zone))
    except OSError as error:
        raise TraceError(f"{file.name}: cannot be read: {error.strerror or error}") from None
    except (pa.ArrowException, UnicodeDecodeError, csv.Error) as error:
        raise TraceError(f"{file.name}: cannot be read: {str(error).splitlines()[0]}") from None
    notes += [f"{file.name}: {note}" for note in [*said, *guessed[already:]]]
    return checked


def _format_name(file: Source, intake: Intake) -> str:
    if intake.format is not None:
        return intake.format
    name = file.path.name.lower()
    found = next((ending for ending in _ENDINGS if name.endswith(ending)), None)
    if found is None:
        raise TraceError(f"{file.name}: the ending tells no format; known are {', '.join(_ENDINGS)}; or state format")
    return found.removeprefix(".")


def _holds_spans(path: Path) -> bool:
    """Whether a JSON file begins as OTLP JSON does."""
    with open_bytes(path) as file:
        begin = file.read(1_000)
    return begin.removeprefix(b"\xef\xbb\xbf").lstrip().removeprefix(b"{").lstrip().startswith(b'"resourceSpans"')
