"""Files that are mapped into memory, not copied."""

from pathlib import Path

import pyarrow as pa

from vestigo.compiled import texts


def mapped(path: Path) -> pa.Buffer:
    """Maps a whole file. If someone cuts the file while it is in use, the process ends by a signal. The command line
    says why (`texts.end_with`).
    """
    if path.stat().st_size == 0:  # which cannot be mapped
        return pa.py_buffer(b"")
    with pa.memory_map(str(path)) as file:
        content = file.read_buffer()
    name = ascii(str(path))[1:-1]
    why = f"vestigo: {name[-400:]}: was cut while it was in use; run it again on the whole file\n"
    texts.last_words(content.address, content.size, why)
    return content
