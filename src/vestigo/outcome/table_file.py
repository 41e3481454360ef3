"""Writes a table that comes in parts to one file."""

from collections.abc import Callable, Iterable
from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa
import pyarrow.compute as pc

from vestigo.errors import InputError
from vestigo.files import replacing

if TYPE_CHECKING:
    import pyarrow.csv as arrow_csv
    import pyarrow.parquet as pq

_FORMULA = r"^([=+\-@\t\r])"
"""What spreadsheets take for one."""


def write_tables(parts: Iterable[pa.Table], path: Path) -> int:
    """Writes the parts below each other, and returns the number of rows. The ending gives the format: ``.parquet``,
    ``.arrow`` or ``.csv``. In ``.csv``, a text that a spreadsheet would take for a formula gets an apostrophe in front.

    The file is written whole or not at all. Raises InputError if it cannot be written.
    """
    check_ending(path)
    write_to = _WRITERS[path.suffix.lower()]
    rows = 0
    try:
        with replacing(path) as unfinished, ExitStack() as open_until_written:
            writer = None
            for part in parts:
                table = _plain(part, is_safe=path.suffix.lower() == ".csv")
                writer = writer or open_until_written.enter_context(write_to(unfinished, table.schema))
                writer.write_table(table)
                rows += len(table)
    except OSError as error:
        raise InputError(f"{path}: cannot be written: {error.strerror or error}") from None
    return rows


def check_ending(path: Path) -> None:
    """Raises InputError if the ending names no format."""
    if path.suffix.lower() not in _WRITERS:
        raise InputError(f"{path}: its ending does not say the format; known are {', '.join(_WRITERS)}")


def _plain(table: pa.Table, is_safe: bool) -> pa.Table:
    """The table without dictionaries, so that every part has the same types."""
    for place, field in enumerate(table.schema):
        if not pa.types.is_dictionary(field.type):
            continue
        column = table.column(place).combine_chunks()
        texts = column.dictionary
        if is_safe and not pa.types.is_integer(texts.type):
            texts = pc.replace_substring_regex(texts.cast(pa.large_string()), _FORMULA, r"'\1")
        table = table.set_column(place, field.name, texts.take(column.indices))
    return table


def _parquet(path: Path, schema: pa.Schema) -> "pq.ParquetWriter":
    import pyarrow.parquet as pq

    return pq.ParquetWriter(path, schema, compression="zstd")


def _csv(path: Path, schema: pa.Schema) -> "arrow_csv.CSVWriter":
    import pyarrow.csv as arrow_csv

    return arrow_csv.CSVWriter(path, schema)


_WRITERS: dict[str, Callable[[Path, pa.Schema], Any]] = {".parquet": _parquet, ".arrow": pa.ipc.new_file, ".csv": _csv}
