"""Lines of JSON as bytes: those that Arrow's reader survives, and that reader."""

import io
import json
import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.json as arrow_json

from vestigo.compiled.texts import lines_beyond
from vestigo.errors import TraceError
from vestigo.trace.formats.packed import Limits, too_long, whole

# Whether a null may stand where an object belongs. Arrow's reader crashes on that.
_FIRST_NULL, _LATER_NULL = re.compile(rb"(?:\xef\xbb\xbf)?\s*+null"), re.compile(rb"\}\s*+null")
_DEEPEST = 100

Line = tuple[int, bytes]


def safe_lines(path: Path, limits: Limits) -> pa.Buffer:
    """The content, if its lines are safe for Arrow's reader, which calls itself for every nested object.

    Raises TraceError for lines that are too long or nested too deep.
    """
    content = whole(path, limits)
    deep, long = lines_beyond(np.frombuffer(content, np.uint8), _DEEPEST, limits.longest_line)
    if long:
        raise too_long(path, long, limits)
    if deep:
        raise TraceError(
            f"{path}, line {deep}: is nested more than {_DEEPEST} deep; no trace needs that, so leave it out"
        )
    return content


def parse(content: pa.Buffer, types: dict[str, pa.DataType], others: str) -> pa.Table:
    """Reads the content with Arrow's reader. No line may be a bare null. `others` says what happens to other
    columns.
    """
    table = arrow_json.read_json(
        pa.BufferReader(content),
        read_options=arrow_json.ReadOptions(block_size=_block_size(content)),
        parse_options=arrow_json.ParseOptions(
            explicit_schema=pa.schema(list(types.items())), newlines_in_values=False, unexpected_field_behavior=others
        ),
    )
    table.validate(full=True)  # texts may not be UTF-8
    return table


def has_bare_null(content: pa.Buffer) -> bool:
    view = memoryview(content)
    return _FIRST_NULL.match(view) is not None or _LATER_NULL.search(view) is not None


def lines_of(content: pa.Buffer) -> Iterator[Line]:
    """Each line that is not empty, with its number, counted from 1."""
    with io.BufferedReader(pa.BufferReader(content)) as file:
        for number, line in enumerate(file, 1):
            if line.strip():
                yield number, line


def _block_size(content: pa.Buffer) -> int:
    """The size of blocks: 4 MiB, or more if a line is longer, because a line must fit into a block."""
    size = 4 << 20
    if len(content) > size:
        view = memoryview(content)
        longest = max((len(line) for _, line in lines_of(content)), default=0) if _has_long_line(view, size) else 0
        size = min(max(size, 2 * longest), 2**30)
    return size


def _has_long_line(view: memoryview, size: int) -> bool:
    """Whether some stretch of `size` / 2 bytes may contain no line end."""
    step = size // 2
    return any(b"\n" not in bytes(view[begin : begin + step]) for begin in range(0, len(view), step))


def without_cut_line(content: pa.Buffer) -> tuple[pa.Buffer, tuple[str, ...]]:
    view = memoryview(content)
    if len(view) == 0 or view[-1] == 10:
        return content, ()
    begin = len(view)
    while begin > 0 and view[begin - 1] != 10:  # this is about a line, not the file
        begin = max(begin - (1 << 16), 0)
        newline = bytes(view[begin:]).rfind(b"\n")
        if newline >= 0:
            begin += newline + 1
    if begin == 0 or _is_json(bytes(view[begin:])):
        return content, ()
    return content.slice(0, begin), ("the last line is cut short and left out",)


def _is_json(line: bytes) -> bool:
    try:
        json.loads(line.decode())
    except (ValueError, RecursionError):
        return False
    return True
