"""The native engine. `begin` asks the kernel for a replay, `feed` gives it the trace, `counted` reads its counts, and
`watched` reads what it tells of single reads and keys.
"""

from vestigo.engine.native.counted import run, run_in_halves
from vestigo.engine.native.watched import answers_by_batch, watch

__all__ = ["answers_by_batch", "run", "run_in_halves", "watch"]
