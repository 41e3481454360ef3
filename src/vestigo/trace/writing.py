"""Writes a trace to a file: prepared, or as a table that anything can read."""

import json
from collections.abc import Callable, Iterator
from pathlib import Path

import pyarrow as pa
import pyarrow.compute as pc

from vestigo.arguments import path_of
from vestigo.errors import TraceError
from vestigo.files import replacing
from vestigo.trace.formats.packed import PACKINGS, unpacked_name
from vestigo.trace.formats.prepared import prepared_table, write_prepared
from vestigo.trace.reading.read import Readable, read_trace
from vestigo.trace.trace import COLUMNS, Trace

_ROWS = 1 << 16
_TEXT = pa.large_string()
_FORMULA = r"^[=+\-@\t\r]"


def write_trace(trace: Readable, path: str | Path, *, for_spreadsheets: bool = False) -> Path:
    """Writes the trace to a CSV, TSV or JSON Lines file (also ``.gz``, ``.bz2``, ``.zst``), to Parquet, or, for
    ``.arrow``, in the prepared form, which `read_trace` maps instead of reading. Returns the path.

    Keys are written as they are. A spreadsheet takes a cell that begins with ``=``, ``+``, ``-`` or ``@`` for a
    formula, so `for_spreadsheets` puts an apostrophe before such texts in CSV and TSV files. What is read from such a
    file has other keys.

    The file is written whole or not at all. Raises TraceError if it cannot be written.
    """
    path, trace = path_of("path", path), read_trace(trace)
    write = _writer(path)
    if for_spreadsheets:
        if write is not _write_csv:
            raise TraceError(f"{path}: is not for spreadsheets; name a .csv or .tsv file")
        write = _write_guarded
    try:
        with replacing(path) as unfinished:
            write(trace, unfinished)
    except OSError as error:
        raise TraceError(f"{path}: cannot be written: {error.strerror or error}") from None
    return path


def _writer(path: Path) -> Callable[[Trace, Path], None]:
    name = unpacked_name(path)
    writers = {".csv": _write_csv, ".tsv": _write_csv, ".jsonl": _write_json_lines}
    writer = next((write for ending, write in writers.items() if name.endswith(ending)), None)
    if path.name.lower().endswith(".parquet"):
        return _write_parquet
    if path.name.lower().endswith(".arrow"):
        return write_prepared
    if writer is None:
        known = [*(f"{ending}{packing}" for ending in writers for packing in PACKINGS), ".parquet", ".arrow"]
        raise TraceError(f"{path}: its ending does not say the format; known are {', '.join(known)}")
    return writer


def _table(trace: Trace) -> pa.Table:
    """Like `prepared_table`, with booleans for flags, and without the mark of the prepared form."""
    table = prepared_table(trace).replace_schema_metadata(None)
    for name in [one.name for one in COLUMNS.values() if one.holds == "flag"]:
        if name in table.column_names:
            table = table.set_column(table.column_names.index(name), name, table[name].cast(pa.bool_()))
    return table


def _write_parquet(trace: Trace, path: Path) -> None:
    import pyarrow.parquet as pq

    table = _table(trace)
    for place, name in enumerate(table.column_names):
        if COLUMNS[name].holds == "span":  # so that the unit is known
            table = table.set_column(place, name, table[name].cast(pa.duration("ns")))
    pq.write_table(table, path, compression="zstd")


def _write_csv(trace: Trace, path: Path) -> None:
    _write_rows(_table(trace), path)


def _write_guarded(trace: Trace, path: Path) -> None:
    """The same, with nothing that a spreadsheet takes for a formula."""
    table = _table(trace)
    for place, name in enumerate(table.column_names):
        column = table[name].combine_chunks()
        if pa.types.is_dictionary(column.type):
            texts = column.dictionary.cast(_TEXT)
            apart = pc.binary_join_element_wise(_text("'"), texts, _text(""))
            guarded = pc.if_else(pc.match_substring_regex(texts, _FORMULA), apart, texts)
            table = table.set_column(place, name, pa.DictionaryArray.from_arrays(column.indices, guarded))
    _write_rows(table, path)


def _write_rows(table: pa.Table, path: Path) -> None:
    import pyarrow.csv as arrow_csv

    options = arrow_csv.WriteOptions(delimiter="\t" if unpacked_name(path).endswith(".tsv") else ",")
    schema = pa.schema([(field.name, _decoded(field.type)) for field in table.schema])
    with (
        pa.output_stream(path, compression="detect") as file,
        arrow_csv.CSVWriter(file, schema, write_options=options) as out,
    ):
        for batch in _batches(table):
            out.write_table(batch.cast(schema))


def _write_json_lines(trace: Trace, path: Path) -> None:
    with pa.output_stream(path, compression="detect") as file:
        for lines in json_lines(trace):
            file.write(lines)


def json_lines(trace: Trace) -> Iterator[bytes]:
    """The events as JSON Lines, some thousands at once."""
    table = _table(trace)
    members = pa.table({name: _members(name, table[name].combine_chunks()) for name in table.column_names})
    for batch in _batches(members):
        texts = [column.combine_chunks().cast(pa.large_string()) for column in batch.columns]
        objects = pc.binary_join_element_wise(*texts, _text(", "), null_handling="skip")
        lines = pc.binary_join_element_wise(_text("{"), objects, _text("}\n"), _text(""))
        yield "".join(lines.to_pylist()).encode()


def _members(name: str, column: pa.Array) -> pa.Array:
    """Each value as `"name": value`. A missing value gives nothing, except for keys, because every trace has that
    column. Each distinct text is quoted once.
    """
    if pa.types.is_dictionary(column.type):
        values = [*column.dictionary.to_pylist(), None]
        quoted = pa.array([f'"{name}": {json.dumps(value, default=str)}' for value in values], pa.large_string())
        places = column.indices.fill_null(len(values) - 1) if name == "key" else column.indices
        return pa.DictionaryArray.from_arrays(places, quoted)
    quote = '"' if name == "at" else ""
    text = pc.strftime(column, "%Y-%m-%dT%H:%M:%SZ") if name == "at" else column.cast(pa.string())
    return pc.binary_join_element_wise(
        _text(f'"{name}": {quote}'), text.cast(pa.large_string()), _text(quote), _text("")
    )


def _text(text: str) -> pa.Scalar:
    return pa.scalar(text, _TEXT)


def _batches(table: pa.Table) -> list[pa.Table]:
    return [table.slice(begin, _ROWS) for begin in range(0, max(len(table), 1), _ROWS)]


def _decoded(kind: pa.DataType) -> pa.DataType:
    return kind.value_type if pa.types.is_dictionary(kind) else kind
