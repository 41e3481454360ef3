"""The events of a trace, missing sizes and costs filled in, and what each tells of its key's value at the origin."""

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field

from vestigo.prepared.fill import Assumed
from vestigo.prepared.neighbours import NO_READ
from vestigo.trace import Op, Trace
from vestigo.trace.trace import LAST_KEYED, LAST_VALUED

NULL = "null"


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
    scope: int
    node: int
    force: bool
    next_read: int = NO_READ
    """The row of the key's next read in the same compartment."""


def rows(trace: Trace) -> list[Row]:
    """The rows as recorded. A value that a row does not give is None."""
    columns = (
        trace.at,
        trace.op,
        trace.lookup,
        trace.key,
        trace.size,
        trace.cost,
        trace.found,
        trace.version,
        trace.scope,
        trace.node,
        trace.force,
    )
    return [
        Row(
            at,
            Op(op),
            lookup,
            key,
            None if size < 0 else size,
            None if cost < 0 else cost,
            None if found < 0 else bool(found),
            None if version < 0 else version,
            scope,
            node,
            force,
        )
        for at, op, lookup, key, size, cost, found, version, scope, node, force in zip(
            *(column.tolist() for column in columns), strict=True
        )
    ]


def foresee(recorded: list[Row], per: list[str]) -> None:
    """Tells every row where the next read of its key is. `per` says whose cache each look-up has."""
    next_read: dict[tuple[int, int], int] = {}
    for number, row in reversed(list(enumerate(recorded))):
        if row.op > LAST_KEYED:
            continue
        whose = {"all": 0, "node": row.node, "scope": row.scope}[per[row.lookup]]
        row.next_read = next_read.get((row.key, whose), NO_READ)
        if row.op == Op.READ:
            next_read[row.key, whose] = number


def fill(recorded: list[Row], nulls: list[bool], assumed: Assumed) -> None:
    """Gives every row a size and a cost. `nulls` says where the truth is null."""
    sizes = _medians(recorded, nulls, lambda row: row.size, assumed.size)
    costs = _medians(recorded, nulls, lambda row: row.cost, assumed.cost)
    last_size: dict[int, int] = {}
    for row, null in zip(recorded, nulls, strict=True):
        if row.op > LAST_VALUED:
            continue
        if row.cost is None:
            row.cost = costs[row.lookup]
        if row.size is None:
            if null:
                row.size = 0
            elif row.op in (Op.READ, Op.PRELOAD):
                row.size = sizes[row.lookup]
            else:
                row.size = last_size.get(row.key, sizes[row.lookup])
        if not null:
            last_size[row.key] = row.size


def _medians(
    recorded: list[Row], nulls: list[bool], given: Callable[[Row], int | None], assumed: tuple[int, ...]
) -> dict[int, int]:
    """The lower median of each look-up, over the reads that give one and found a value."""
    by_lookup = defaultdict(list)
    for row, null in zip(recorded, nulls, strict=True):
        value = given(row)
        if row.op == Op.READ and value is not None and not null:
            by_lookup[row.lookup].append(value)
    medians = {lookup: sorted(values)[(len(values) - 1) // 2] for lookup, values in by_lookup.items()}
    return dict(enumerate(assumed)) | medians


class Value:
    """A value at the origin. Its name is a version, NULL, or None while no row has named it."""

    def __init__(self, name: int | str | None) -> None:
        self.name = name

    @property
    def is_null(self) -> bool:
        return self.name == NULL

    def same(self, other: "Value") -> bool:
        return self is other or (self.name is not None and self.name == other.name)


@dataclass
class Truth:
    """The current value of one key, and the versions of it that were seen."""

    value: Value = field(default_factory=lambda: Value(None))
    written: bool = False
    seen: set[int] = field(default_factory=set)
    begun: bool = False

    def learn(self, row: Row) -> bool:
        """Takes in what a row tells, and returns whether the value changed."""
        before, first = self.value, not self.begun
        self.begun = True
        if row.op in (Op.READ, Op.PRELOAD):
            self._read(row)
        else:
            self._write(row)
        if row.version is not None and not self.value.is_null:
            self.seen.add(row.version)
        return not first and not self.value.same(before)

    def _write(self, row: Row) -> None:
        if row.op == Op.REMOVE or row.found is False:
            self._becomes(Value(NULL))
        else:
            self._becomes(Value(row.version), written=True)

    def _read(self, row: Row) -> None:
        if row.found is False:
            self._becomes(Value(NULL))
        elif row.version is not None:
            self._shows(row.version)
        elif row.found and self.value.is_null:
            self._becomes(Value(None))

    def _shows(self, version: int) -> None:
        older = self.written and version in self.seen
        if self.value.name is None and not older:
            self.value.name = version
        else:
            self._becomes(Value(version))

    def _becomes(self, value: Value, written: bool = False) -> None:
        if not value.same(self.value):
            self.value, self.written = value, written
