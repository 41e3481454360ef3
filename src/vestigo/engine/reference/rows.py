"""The events of a trace as plain objects, missing sizes and costs filled in (docs/semantics.md, section 1)."""

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass

from vestigo.trace import Op, Trace

ASSUMED_SIZE = 1024
ASSUMED_COST = 0
NO_READ = 2**62
"""The number of a read that never comes."""


@dataclass
class Row:
    at: int
    op: Op
    lookup: int
    key: int
    size: int | None
    cost: int | None
    found: bool | None
    version: int | None
    force: bool
    next_read: int = NO_READ
    """The number of the event with the key's next read."""


def rows(trace: Trace) -> list[Row]:
    """As recorded: None where a row says nothing."""
    columns = (
        trace.at,
        trace.op,
        trace.lookup,
        trace.key,
        trace.size,
        trace.cost,
        trace.found,
        trace.version,
        trace.force,
    )
    recorded = [
        Row(
            at,
            Op(op),
            lookup,
            key,
            None if size < 0 else size,
            None if cost < 0 else cost,
            None if found < 0 else bool(found),
            None if version < 0 else version,
            force,
        )
        for at, op, lookup, key, size, cost, found, version, force in zip(
            *(column.tolist() for column in columns), strict=True
        )
    ]
    next_read: dict[int, int] = {}
    for number in range(len(recorded) - 1, -1, -1):
        row = recorded[number]
        row.next_read = next_read.get(row.key, NO_READ)
        if row.op == Op.READ:
            next_read[row.key] = number
    return recorded


def fill(recorded: list[Row], nulls: list[bool]) -> None:
    """Gives every row a size and a cost. `nulls` says at which rows the truth is null."""
    sizes = _medians(recorded, nulls, lambda row: row.size, ASSUMED_SIZE)
    costs = _medians(recorded, nulls, lambda row: row.cost, ASSUMED_COST)
    last_size: dict[int, int] = {}
    for row, null in zip(recorded, nulls, strict=True):
        if row.op in (Op.CLEAR, Op.RESTART):
            continue
        if row.cost is None:
            row.cost = costs[row.lookup]
        if row.size is None:
            if null:
                row.size = 0
            elif row.op == Op.READ:
                row.size = sizes[row.lookup]
            else:
                row.size = last_size.get(row.key, sizes[row.lookup])
        if not null:
            last_size[row.key] = row.size


def _medians(
    recorded: list[Row], nulls: list[bool], given: Callable[[Row], int | None], assumed: int
) -> dict[int, int]:
    """The lower median of each look-up, over the reads that give one and found a value."""
    found = defaultdict(list)
    for row, null in zip(recorded, nulls, strict=True):
        value = given(row)
        if row.op == Op.READ and value is not None and not null:
            found[row.lookup].append(value)
    medians = {lookup: sorted(values)[(len(values) - 1) // 2] for lookup, values in found.items()}
    return defaultdict(lambda: assumed, medians)
