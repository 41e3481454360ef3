"""The reference engine: docs/semantics.md as plain Python. The native kernel is tested against it.

rows     the events of a trace, missing sizes and costs filled in
truth    what each row tells of its key's value at the origin
pool     the entries of one look-up, their limits and policy
tally    what is counted
witness  what is told of single reads and keys
steps    what one event does
run      one event after the other
"""

from vestigo.engine.reference.run import answers_by_batch, run, watch

__all__ = ["answers_by_batch", "run", "watch"]
