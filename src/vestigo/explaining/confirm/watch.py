"""A running cache beside what is normal: when it leaves the prediction, and when it is back."""

from collections import deque
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

from vestigo.explaining.confirm.counters import Counters
from vestigo.explaining.confirm.expected import Expected
from vestigo.explaining.confirm.measured import rates_of

SCRAPES = 10
"""So many scrapes are looked at together."""
_FEWEST_READS = 100
"""In so many scrapes. Fewer tell nothing."""


class Turn(NamedTuple):
    """A look-up, or all together, leaves the prediction or is back."""

    at_ns: int
    lookup: str | None
    is_off: bool
    hit_rate: float
    """Of the reads since `since_ns`."""
    low: float
    """What is normal."""
    high: float
    since_ns: int


@dataclass
class Watch:
    """Is shown counters, scrape by scrape, and says what leaves the prediction and what is back, each once."""

    expected: Expected
    off: dict[str | None, Turn] = field(default_factory=dict)
    """What is off now."""
    turns: int = 0
    _seen: deque[tuple[int, Mapping[str | None, tuple[float, float]]]] = field(
        default_factory=lambda: deque(maxlen=SCRAPES)
    )

    def see(self, counters: Counters) -> Iterator[Turn]:
        """The turns of the latest scrape. `counters` are those of the one before and of this one."""
        before_ns, at_ns = (int(one) for one in counters.at_ns[-2:])
        rises = {name: (float(rate.some[-1]), float(rate.of[-1])) for name, rate in rates_of(counters).items()}
        self._seen.append((before_ns, rises))
        for name in (None, *self.expected.lookups):
            hits, reads = (sum(each.get(name, (0.0, 0.0))[part] for _, each in self._seen) for part in (0, 1))
            normal = self.expected.at(at_ns, name)
            if normal is None or reads < _FEWEST_READS:
                continue
            low, high = normal.range(reads, self.expected.tolerated)
            turn = Turn(at_ns, name, not low <= hits / reads <= high, hits / reads, low, high, self._seen[0][0])
            if turn.is_off != (name in self.off):
                self.turns += turn.is_off
                if turn.is_off:
                    self.off[name] = turn
                else:
                    del self.off[name]
                yield turn
