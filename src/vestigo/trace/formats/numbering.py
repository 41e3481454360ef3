"""Numbers the texts of a column by first appearance."""

import secrets

import numpy as np
import pyarrow as pa

from vestigo.compiled.texts import Texts


def numbered(column: pa.ChunkedArray) -> pa.DictionaryArray:
    """A column of texts as one dictionary array.

    It does not check that the texts are UTF-8. Validate the dictionary, where each distinct text stands once.
    """
    texts = Texts(secrets.randbits(64))
    ids = [_ids(texts, chunk) for chunk in column.chunks]
    ends, letters = texts.texts()
    known = pa.LargeStringArray.from_buffers(len(ends) - 1, pa.py_buffer(ends), pa.py_buffer(letters))
    places = np.concatenate([np.empty(0, np.int32), *ids])
    return pa.DictionaryArray.from_arrays(pa.array(places, mask=places < 0 if column.null_count else None), known)


def _ids(texts: Texts, chunk: pa.StringArray) -> np.ndarray:
    _, offsets, letters = chunk.buffers()
    missing = chunk.is_null().to_numpy(zero_copy_only=False) if chunk.null_count else None
    return texts.number(
        np.frombuffer(offsets, np.int32)[chunk.offset : chunk.offset + len(chunk) + 1],
        np.frombuffer(letters, np.uint8) if letters is not None and letters.size else np.empty(0, np.uint8),
        missing,
    )
