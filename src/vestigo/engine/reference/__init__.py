"""The reference engine: docs/semantics.md as plain Python. The native kernel is tested against it.

rows     the events of a trace, and what each tells of its key's value
lives    what the rules say of a single value
pool     the entries of one compartment, their limits and policy
ledger   what is counted
witness  what is told of single reads and keys
agenda   what falls due
origin   what becomes of an origin call
holdings what is held, and how it comes and leaves
steps    what one event does
run      one event after the other
"""

from vestigo.engine.reference.run import answers_by_batch, run, watch

__all__ = ["answers_by_batch", "run", "watch"]
