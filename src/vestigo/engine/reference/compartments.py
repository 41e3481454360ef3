"""Whose cache a row is about: the pool of all rows, or of each node or scope."""

from vestigo.engine.groups import Groups
from vestigo.engine.reference.pool import Pool
from vestigo.engine.reference.rows import Row
from vestigo.trace import Op


class Compartments:
    """For each pool of the plan, what its compartments hold. They are numbered by node or scope, and 0 stands for rows
    that name none.
    """

    def __init__(self, groups: Groups, nodes: int, recorded: list[Row]) -> None:
        self.rules, self.per = groups.pools, groups.per
        unnamed = nodes == 0 or any(row.node < 0 and row.op in (Op.READ, Op.PRELOAD) for row in recorded)
        there = {"all": [0], "node": [*range(1, nodes + 1), *([0] if unnamed else [])], "scope": []}
        self.pools = [
            {number: Pool(rules, number) for number in sorted(there[per])}
            for rules, per in zip(self.rules, self.per, strict=True)
        ]
        self.last_row = {row.scope: number for number, row in enumerate(recorded)}

    def of(self, pool: int, row: Row) -> Pool | None:
        """The compartment of a row. None for a write without a node, if every reader names one."""
        if self.per[pool] == "scope":
            return self.pools[pool].setdefault(row.scope + 1, Pool(self.rules[pool], row.scope + 1))
        return self.pools[pool].get(row.node + 1 if self.per[pool] == "node" else 0)

    def each(self, pool: int) -> list[Pool]:
        return list(self.pools[pool].values())

    def others(self, pool: int, row: Row) -> list[Pool]:
        """The compartments of all nodes except the row's."""
        return [one for number, one in self.pools[pool].items() if number != row.node + 1]

    def hit_by(self, pool: int, node: int) -> list[Pool]:
        """The compartments that a clear or a restart empties: that of one node if each has its own, otherwise all."""
        one_node = self.per[pool] == "node" and node >= 0
        return [one for number, one in self.pools[pool].items() if not one_node or number == node + 1]

    def over_after(self, number: int, row: Row) -> list[Pool]:
        """Removes and returns the compartments of a scope whose last row this is."""
        if self.last_row[row.scope] != number:
            return []
        gone = [
            pools.pop(row.scope + 1, None) for pools, per in zip(self.pools, self.per, strict=True) if per == "scope"
        ]
        return [pool for pool in gone if pool]
