"""Reads a trace from files, or from a table in memory."""

import csv
import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace.formats.format import OUR_NAMES, Format, known_formats
from vestigo.trace.formats.packed import check_text, open_bytes
from vestigo.trace.formats.prepared import is_prepared, open_prepared
from vestigo.trace.reading.build import CheckedColumns, Clock, Origin, build_trace, check_columns
from vestigo.trace.reading.intake import Intake
from vestigo.trace.reading.meaning import Meaning
from vestigo.trace.reading.sources import Source, sources
from vestigo.trace.reading.tables import rows_of
from vestigo.trace.trace import Trace

_BEGIN_BYTES = 1_000

Readable = object
"""What a trace is read from: a path (a file, a folder, a pattern, ``"-"``), an Arrow table, a DataFrame, a mapping of
columns, a list of records; or a `Trace`, which is taken as it is."""


def read_trace(source: Readable, intake: Intake | None = None, **options: Any) -> Trace:
    """Reads a trace from a file, all files in a folder, the files that match a pattern (``logs/*.gz``), standard input
    (``"-"``), or a table: an Arrow table, a DataFrame, a mapping of columns, a list of records.

    Files are CSV, TSV, JSON Lines, access logs in the Common or Combined format (``.log``), or OpenTelemetry spans in
    OTLP JSON, all of these plain or compressed (``.gz``, ``.bz2``, ``.zst``). They can also be Parquet, Arrow IPC, or
    prepared by `write_trace`. The columns are those of docs/semantics.md, section 1. An `Intake`, or its fields as
    options, says what other columns mean. Options come on top of an `Intake`. A prepared file already says what it
    holds, so only options change that. Numbers of a table in memory are ns unless options say otherwise. A `Trace` is
    returned as it is.

    Rows out of order are sorted, and `Trace.moved` says how many. `Trace.notes` says what was assumed or left out.
    Raises TraceError, which names file, line or row, column, and what was expected.

    >>> from vestigo import read_trace
    >>> read_trace({"at": [10, 20, 30], "key": ["a", "b", "a"]}).key.tolist()
    [0, 1, 0]
    >>> read_trace([{"when": "2026-03-17T08:00:00Z", "key": "a"}], columns={"at": "{when}"}).reads
    1
    """
    intake = (intake or Intake()).with_options(options)
    if isinstance(source, Trace):
        if options:
            raise TraceError(
                f"{', '.join(options)}: the trace is already read; give these options where it is read from a file"
            )
        return source
    return dataclasses.replace(_read(source, intake, options), behind=intake.behind)


def _read(source: Any, intake: Intake, options: Mapping[str, Any]) -> Trace:
    if not isinstance(source, (str, Path)):
        return _from_table(source, intake)
    formats = known_formats()
    if intake.format is not None and intake.format not in formats:
        raise TraceError(f"format: {intake.format!r} is unknown; known are {', '.join(formats)}")
    reader = _Reader(intake, formats)
    with sources(source, reader.endings, intake.format) as files:
        if (
            len(files) == 1
            and not options.keys() - {"format", "behind"}
            and (prepared := reader.prepared(files[0])) is not None
        ):
            return prepared
        pieces = [reader.read(file) for file in files]
    return build_trace(pieces, files[0].name if len(files) == 1 else str(source), reader.notes, reader.guessed)


def _from_table(table: Any, intake: Intake) -> Trace:
    guessed: list[str] = []
    columns, place, said = Meaning(intake, OUR_NAMES).apply(rows_of(table), "table")
    clock = Clock(intake.at_unit or "ns", intake.cost_unit or "ns", intake.zone)
    try:
        checked = check_columns(columns, Origin("table", place, guessed.append), clock)
    except pa.ArrowException as error:
        raise TraceError(f"table: cannot be read: {str(error).splitlines()[0]}") from None
    return build_trace([checked], "table", [f"table: {note}" for note in said], guessed)


@dataclass
class _Reader:
    """Reads files one after the other, and collects notes on them."""

    intake: Intake
    formats: dict[str, Format]
    notes: list[str] = field(default_factory=list)
    guessed: list[str] = field(default_factory=list)

    @property
    def endings(self) -> tuple[str, ...]:
        return tuple(f".{name}" for name in self.formats)

    def prepared(self, file: Source) -> Trace | None:
        """The trace, if the file is prepared and can be mapped as it is."""
        if self._name(file) != "arrow":
            return None
        try:
            return open_prepared(file.path) if is_prepared(file.path) else None
        except (OSError, pa.ArrowException):
            return None  # the reader of tables says what is wrong with it

    def read(self, file: Source) -> CheckedColumns:
        """The checked columns of one file. Raises TraceError."""
        name, already = self._name(file), len(self.guessed)
        try:
            file.path.open("rb").close()  # this gives the system's own words if it fails
            known = self._format(file, name)
            meaning = Meaning(self.intake, known.defaults)
            raw = known.read(file.path, meaning.wanted)
            table, place, said = meaning.apply(raw, file.name)
            clock = Clock(self.intake.at_unit, self._cost_unit(known, meaning, table), self.intake.zone)
            checked = check_columns(table, Origin(file.name, place, self.guessed.append), clock)
        except OSError as error:
            raise TraceError(f"{file.name}: cannot be read: {error.strerror or error}") from None
        except (pa.ArrowException, UnicodeDecodeError, csv.Error) as error:
            raise TraceError(f"{file.name}: cannot be read: {str(error).splitlines()[0]}") from None
        self.notes += [f"{file.name}: {note}" for note in [*said, *self.guessed[already:]]]
        return checked

    def _name(self, file: Source) -> str:
        """The name of the file's format, as the user or the ending says."""
        if self.intake.format is not None:
            return self.intake.format
        ending = next((ending for ending in self.endings if file.path.name.lower().endswith(ending)), None)
        if ending is None:
            known = ", ".join(self.endings)
            raise TraceError(f"{file.name}: its ending does not say the format; known are {known}; or state format")
        return ending.removeprefix(".")

    def _format(self, file: Source, name: str) -> Format:
        """The format that the file's content shows, or else the one of its name."""
        known = self.formats[name]
        if not known.is_text:
            return known
        check_text(file.path)
        with open_bytes(file.path) as content:
            begin = content.read(_BEGIN_BYTES)
        return next((one for one in self.formats.values() if one.recognises(begin)), known)

    def _cost_unit(self, known: Format, meaning: Meaning, table: pa.Table) -> str | None:
        """The unit of costs that the user states, or else the one of the format's own column."""
        if self.intake.cost_unit or known.cost_unit is None or "cost" not in table.column_names:
            return self.intake.cost_unit
        if meaning.templates["cost"].plain != meaning.own_cost:
            return None
        unit, note = known.cost_unit(table["cost"])
        self.guessed += [note] * bool(note)
        return unit
