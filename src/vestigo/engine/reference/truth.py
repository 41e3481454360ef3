"""What each row of a trace tells of its key's value at the origin."""

from dataclasses import dataclass, field

from vestigo.engine.reference.rows import Row
from vestigo.trace import Op

NULL = "null"


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
