"""The native engine: `begin` asks the kernel for a replay of the rules, `feed` has what it is fed, `replay` reads its
sheets of numbers, `watched` what it tells of single reads and keys.
"""

from vestigo.engine.native.replay import run
from vestigo.engine.native.watched import answers_by_batch, watch

__all__ = ["answers_by_batch", "run", "watch"]
