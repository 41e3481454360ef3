"""The native engine: `begin` asks the kernel for a replay of the rules, `replay` feeds it the prepared trace and reads
its sheets of numbers.
"""

from vestigo.engine.native.replay import run

__all__ = ["run"]
