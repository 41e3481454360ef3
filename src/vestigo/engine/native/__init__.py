"""The native engine. `begin` asks the kernel for a replay, `feed` gives it the trace, `counted` reads its counts, and
`watched` reads what it tells of single reads and keys.
"""

from vestigo.engine.native.alone import count_alone
from vestigo.engine.native.counted import count_parts, run, run_in_halves, works_of
from vestigo.engine.native.watched import answers_by_batch, watch

__all__ = ["answers_by_batch", "count_alone", "count_parts", "run", "run_in_halves", "watch", "works_of"]
