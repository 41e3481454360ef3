"""Members of JSON Lines as texts: the native scanner gives what Python's reader of JSON gives, whatever their kinds."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from vestigo import read_trace
from vestigo.compiled.texts import members
from vestigo.errors import TraceError

NAMES = st.sampled_from(["a", "b", "a.b", "0", 'q"', "\\", "é", ""])
PLAIN = st.none() | st.booleans() | st.integers() | st.text(st.characters(exclude_categories=["Cs"]), max_size=6)
VALUES = st.recursive(
    PLAIN, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(NAMES, inner, max_size=3), max_leaves=8
)
ROWS = st.lists(st.dictionaries(NAMES, VALUES, max_size=4), max_size=5)
TIME = "2026-03-17T08:00:00Z"


def scanned(lines: str, name: str) -> list[str | None]:
    offsets, letters, missing, twice = members(np.frombuffer(lines.encode(), np.uint8), name)
    assert twice == 0 and len(offsets) == len(missing) + 1 and offsets[-1] == len(letters)
    all_of_it = letters.tobytes()
    return [
        None if gone else all_of_it[begin:end].decode()
        for begin, end, gone in zip(offsets, offsets[1:], missing, strict=False)
    ]


def plainly(row: dict[str, Any], name: str, *, is_ascii: bool) -> str | None:
    value: Any = row
    for part in [name] if name in row else name.split("."):
        if isinstance(value, dict):
            value = value.get(part)
        elif isinstance(value, list) and part.isascii() and part.isdigit():
            value = value[int(part)] if int(part) < len(value) else None
        else:
            value = None
    if isinstance(value, str) or value is None:
        return value
    return json.dumps(value, separators=(",", ":"), ensure_ascii=is_ascii)


@given(ROWS, st.sampled_from(["a", "b", "a.b", "a.0", "a.b.0", "0", "é", 'q"', "\\", ""]), st.booleans(), st.booleans())
def test_a_member_is_what_pythons_reader_finds(
    rows: list[dict[str, Any]], name: str, is_ascii: bool, wide: bool
) -> None:
    blanks = (", ", " : ") if wide else (",", ":")
    lines = "\n\n".join(json.dumps(row, ensure_ascii=is_ascii, separators=blanks) for row in rows)
    assert scanned(lines, name) == [plainly(row, name, is_ascii=is_ascii) for row in rows]


@given(st.binary(max_size=60), st.sampled_from(["a", "a.0", ""]))
@example(b"\0", "a")  # a line of nothing but a NUL is no blank line
def test_whatever_the_bytes_are_there_is_one_text_a_line(content: bytes, name: str) -> None:
    lines = [line for line in content.removeprefix(b"\xef\xbb\xbf").split(b"\n") if line.strip()]
    offsets, letters, missing, _ = members(np.frombuffer(content, np.uint8), name)
    assert len(missing) == len(lines) and offsets[-1] == len(letters) and np.all(np.diff(offsets) >= 0)


@given(st.lists(st.fixed_dictionaries({"key": PLAIN | st.lists(PLAIN, max_size=2)}), min_size=1, max_size=6))
def test_keys_of_any_kind_are_read_or_left_out_and_counted(
    tmp_path_factory: pytest.TempPathFactory, rows: list[Any]
) -> None:
    path: Path = tmp_path_factory.mktemp("kinds") / "t.jsonl"
    path.write_text("".join(json.dumps({"at": TIME, **row}) + "\n" for row in rows))
    expected = [text for row in rows if (text := plainly(row, "key", is_ascii=True)) is not None]
    if not expected:
        with pytest.raises(TraceError):
            read_trace(path)
        return
    trace = read_trace(path)
    left_out = f"left out {len(rows) - len(expected)} message"
    assert pa.array(expected).dictionary_encode().dictionary.to_pylist() == [str(key) for key in trace.keys[:]]
    assert len(trace) == len(expected) and any(left_out in note for note in trace.notes) == (len(expected) < len(rows))
