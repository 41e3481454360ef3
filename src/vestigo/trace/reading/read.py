"""Reads a trace from files, or from a table in memory."""

import csv
import dataclasses
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypedDict, Unpack

import pyarrow as pa

from vestigo.arguments import shown
from vestigo.errors import OutOfMemory, TraceError
from vestigo.machine import is_memory
from vestigo.trace.formats.format import OUR_NAMES, CostUnit, Format, format_named, known_formats
from vestigo.trace.formats.packed import check_text, open_bytes
from vestigo.trace.formats.prepared import is_prepared, open_prepared
from vestigo.trace.formats.raw import Raw
from vestigo.trace.reading.amounts import cost_unit
from vestigo.trace.reading.build import TABLE, CheckedColumns, Clock, Origin, begins_at, build_trace, check_columns
from vestigo.trace.reading.intake import Intake
from vestigo.trace.reading.meaning import Meaning
from vestigo.trace.reading.sources import Source, endings, sources
from vestigo.trace.reading.tables import Table, rows_of
from vestigo.trace.reading.times import Say
from vestigo.trace.trace import Trace

_BEGIN_BYTES = 1_000

Readable = Trace | str | Path | Table
"""What a trace is read from: a path (a file, a folder, a pattern, ``"-"``) or a list of paths; a DataFrame, an Arrow
table, whatever offers Arrow's stream, a mapping of columns, a list of records; or a `Trace`, which is taken as it is.
"""


class IntakeOptions(TypedDict, total=False):
    """The fields of an `Intake`, as options of `read_trace`."""

    columns: Mapping[str, str]
    match: str | None
    patterns: Mapping[str, str | Sequence[str]]
    null_where: Mapping[str, object]
    hit_where: Mapping[str, object]
    at_unit: str | None
    cost_unit: str | None
    zone: str | None
    format: str | None
    behind: str | None
    strict: bool
    longest_line: str | int
    unfolds_to: str | int


def read_trace(
    source: Readable, intake: Intake | Mapping[str, object] | None = None, **options: Unpack[IntakeOptions]
) -> Trace:
    """Reads a trace from a file, several files, all in a folder, those that match a pattern (``logs/*.gz``), standard
    input (``"-"``), or a table: a DataFrame, an Arrow table, whatever offers Arrow's stream (polars, DuckDB), a mapping
    of columns, a list of records.

    Files are CSV, TSV, JSON Lines, access logs in the Common or Combined format (``.log``), or OpenTelemetry spans in
    OTLP JSON, all of these plain or compressed (``.gz``, ``.bz2``, ``.zst``), and rotated (``access.log.1.gz``). They
    can also be Parquet, Arrow IPC, or prepared by `write_trace`. The columns are those of docs/semantics.md, section 1.
    An `Intake`, or its fields as options, says what other columns mean. Options come on top of an `Intake`. A prepared
    file already says what it holds, so only options change that. A table in memory means what the same table means as a
    file; an index of times is taken as `at`. A `Trace` is returned as it is.

    Rows out of order are sorted, and `Trace.moved` says how many. `Trace.notes` says what was assumed or left out.
    Raises TraceError, which names file, line or row, column, and what was expected.

    >>> from vestigo import read_trace
    >>> read_trace({"at": [10, 20, 30], "key": ["a", "b", "a"]}).key.tolist()
    [0, 1, 0]
    >>> read_trace([{"when": "2026-03-17T08:00:00Z", "key": "a"}], columns={"at": "{when}"}).reads
    1
    """
    meant = _intake_of(intake).with_options(options)
    if isinstance(source, Trace):
        if options:
            raise TraceError(
                f"{', '.join(options)}: the trace is already read; give these options where it is read from a file"
            )
        return source
    return dataclasses.replace(_read(source, meant, options), behind=meant.behind)


def _intake_of(given: Intake | Mapping[str, object] | None) -> Intake:
    if given is None or isinstance(given, Intake):
        return given or Intake()
    if not isinstance(given, Mapping):
        raise TraceError(f"intake: {shown(given)} is not an Intake; give Intake(columns=...), or its fields as options")
    return Intake().with_options(given)


def _read(source: Any, intake: Intake, options: Mapping[str, object]) -> Trace:
    where = [source] if isinstance(source, (str, Path)) else source
    if not _are_paths(where):
        return _from_table(source, intake)
    formats = known_formats()
    if intake.format is not None and intake.format not in formats:
        raise TraceError(f"format: {intake.format!r} is unknown; known are {', '.join(formats)}")
    reader = _Reader(intake, formats)
    with sources(where, formats, intake.format) as files:
        if (
            len(files) == 1
            and not options.keys() - {"format", "behind"}
            and (prepared := reader.prepared(files[0])) is not None
        ):
            return prepared
        filled = reader.without_empty(files)
        pieces = sorted((reader.read(file) for file in filled), key=begins_at)  # rotated logs are named backwards
    name = (
        files[0].name if len(files) == 1 else " and ".join(map(str, where)) if len(where) < 3 else f"{len(where)} files"
    )
    return build_trace(pieces, name, reader.notes, list(reader.guesses))


def _too_large(name: str) -> OutOfMemory:
    return OutOfMemory(
        f"{name}: is too large for the memory that is left; use a larger machine, or record for a shorter time"
    )


def _are_paths(where: object) -> bool:
    return isinstance(where, (list, tuple)) and bool(where) and all(isinstance(one, (str, Path)) for one in where)


def _from_table(table: object, intake: Intake) -> Trace:
    reader = _Reader(intake, {})
    checked = reader.table(rows_of(table))
    return build_trace([checked], TABLE, reader.notes, list(reader.guesses))


@dataclass
class _Reader:
    """Reads files one after the other, and collects notes on them."""

    intake: Intake
    formats: dict[str, Format]
    left_out: list[str] = field(default_factory=list)
    guesses: dict[str, list[str]] = field(default_factory=dict)
    """Each guess with the files for which it was made."""
    guessed_unit: CostUnit | None = None

    @property
    def notes(self) -> list[str]:
        """What was left out of which file, and what was guessed, once for all files."""
        each = self.guesses.items()
        return self.left_out + [f"{one[0] if len(one) == 1 else f'{len(one)} files'}: {guess}" for guess, one in each]

    def prepared(self, file: Source) -> Trace | None:
        """The trace, if the file is prepared and can be mapped as it is."""
        if self._name(file) != "arrow":
            return None
        try:
            return open_prepared(file.path) if is_prepared(file.path) else None
        except MemoryError:
            raise _too_large(file.name) from None
        except (OSError, pa.ArrowException):
            return None  # the reader of tables says what is wrong with it

    def without_empty(self, files: list[Source]) -> list[Source]:
        """Of several files, those that hold anything. A recording that ended on a full disk can leave an empty one."""
        empty = {file for file in files if file.path.is_file() and file.path.stat().st_size == 0}
        if not empty or len(empty) == len(files):
            return files
        self.left_out += [f"{file.name}: is empty and left out" for file in files if file in empty]
        return [file for file in files if file not in empty]

    def read(self, file: Source) -> CheckedColumns:
        """The checked columns of one file. Raises TraceError."""
        name = self._name(file)
        try:
            file.path.open("rb").close()  # this gives the system's own words if it fails
            known = self._format(file, name)
            meaning = Meaning(self.intake, known.defaults, is_of_messages=known.is_of_messages)
            return self._checked(known.read(file.path, meaning.wanted), meaning, file.name, known.cost_unit)
        except MemoryError:
            raise _too_large(file.name) from None
        except OSError as error:
            raise TraceError(f"{file.name}: cannot be read: {error.strerror or error}") from None
        except (pa.ArrowException, UnicodeDecodeError, csv.Error) as error:
            raise TraceError(f"{file.name}: cannot be read: {str(error).splitlines()[0]}") from None
        except RuntimeError as error:
            raise (_too_large(file.name) if is_memory(error) else error) from None

    def table(self, raw: Raw) -> CheckedColumns:
        """The checked columns of a table in memory. Raises TraceError."""
        if self.intake.format is not None:
            self._note(TABLE, f"format = {self.intake.format} is not used: it is for files")
        try:
            return self._checked(raw, Meaning(self.intake, OUR_NAMES), TABLE)
        except pa.ArrowException as error:
            raise TraceError(f"{TABLE}: cannot be read: {str(error).splitlines()[0]}") from None

    def _checked(
        self,
        raw: Raw,
        meaning: Meaning,
        source: str,
        cost_unit_of_format: Callable[[pa.ChunkedArray], CostUnit] | None = None,
    ) -> CheckedColumns:
        def guessed(guess: str) -> None:
            self.guesses.setdefault(guess, []).append(source)

        def noted(note: str) -> None:
            self._note(source, note)

        table, place, said = meaning.apply(raw, source)
        unit = self._cost_unit(cost_unit_of_format, meaning, table, raw.first_time, guessed)
        clock = Clock(self.intake.at_unit, unit, self.intake.zone)
        for note in said:
            noted(note)
        return check_columns(table, Origin(source, place, guessed, noted), clock)

    def _note(self, source: str, note: str) -> None:
        self.left_out.append(f"{source}: {note}")

    def _name(self, file: Source) -> str:
        """The name of the file's format, as the user or the ending says."""
        if self.intake.format is not None:
            return self.intake.format
        name = format_named(file.path, self.formats)
        if name is None:
            known = endings(self.formats)
            raise TraceError(f"{file.name}: its ending does not say the format; known are {known}; or state format")
        return name

    def _format(self, file: Source, name: str) -> Format:
        """The format that the file's content shows, or else the one of its name."""
        known = self.formats[name]
        if not known.is_text:
            return known
        check_text(file.path, self.intake.limits)
        with open_bytes(file.path, self.intake.limits) as content:
            begin = content.read(_BEGIN_BYTES)
        return next((one for one in self.formats.values() if one.recognises(begin)), known)

    def _cost_unit(
        self,
        of_format: Callable[[pa.ChunkedArray], CostUnit] | None,
        meaning: Meaning,
        table: pa.Table,
        first_time: str,
        guessed: Say,
    ) -> str | None:
        """The unit of costs that the user states, or else the one of the format's own column, or else the one that
        their amounts tell in the first file.
        """
        if self.intake.cost_unit or not {"at", "cost"} <= set(table.column_names):
            return self.intake.cost_unit
        if of_format is not None and meaning.templates["cost"].plain == meaning.own_cost:
            unit, note = of_format(table["cost"])
            if note:
                guessed(note)
            return unit
        if self.guessed_unit is None:
            self.guessed_unit = cost_unit(table, first_time)
        if self.guessed_unit.note:
            guessed(self.guessed_unit.note)
        return self.guessed_unit.unit
