"""Texts are numbered by first appearance, as Arrow does it, over any chunks."""

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vestigo.compiled.texts import Texts
from vestigo.trace.formats.numbering import numbered

texts = st.text(st.sampled_from("a\0é😀z"), max_size=12)
columns = st.lists(st.lists(st.none() | texts, max_size=40), max_size=5)


@given(columns, st.integers(0, 3))
def test_numbers_are_arrows(chunks: list[list[str | None]], skipped: int) -> None:
    column = pa.chunked_array([pa.array(chunk, pa.string())[skipped:] for chunk in chunks], pa.string())
    ours = numbered(column)
    theirs = column.combine_chunks().dictionary_encode()
    assert ours.indices.to_pylist() == theirs.indices.to_pylist()
    assert ours.dictionary.to_pylist() == theirs.dictionary.to_pylist()
    ours.validate(full=True)


def test_many_different_texts_keep_their_numbers() -> None:
    names = [f"key {number}" * (number % 4) for number in range(20_000)]
    column = pa.chunked_array([names, names[::-1]], pa.string())
    assert numbered(column).to_pylist() == names + names[::-1]


@pytest.mark.parametrize(
    ("offsets", "letters", "missing"),
    [
        ([], [65], None),
        ([0, 2], [65], None),
        ([1, 0], [65], None),
        ([-1, 1], [65], None),
        ([0, 1], [65], [True, False]),
    ],
)
def test_offsets_out_of_place_are_refused(offsets: list[int], letters: list[int], missing: list[bool] | None) -> None:
    gone = None if missing is None else np.array(missing)
    with pytest.raises(ValueError, match=r"offset|differ"):
        Texts(1).number(np.array(offsets, np.int32), np.array(letters, np.uint8), gone)
