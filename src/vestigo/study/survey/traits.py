"""The numbers of a survey: of one look-up, or of all together."""

from dataclasses import asdict, dataclass
from typing import Any

from vestigo.data import Data


@dataclass(frozen=True, eq=False, repr=False)
class Traits(Data):
    """Plain numbers: times in seconds, sizes in bytes, shares in [0, 1]. Without reads they are all 0."""

    reads: int
    keys: int
    """Distinct keys that were read."""
    once_share: float
    """Of the keys: those read only once."""
    repeats: int
    """Reads of a key that was read before: the most that any cache could answer."""
    fresh_repeats: int
    """Those whose value had not changed since the read before."""
    nulls: int
    """Reads that found nothing."""
    null_repeats: int
    """Fresh repeats that found nothing."""
    null_keys: int
    """Distinct keys of which a read found nothing."""
    null_keys_created: int
    """Those that had a value later."""
    origin_time: float
    """What all reads took at the origin."""
    saveable_time: float
    """What the fresh repeats took: the most that could be saved without old answers."""
    cost_p50: float
    cost_p95: float
    cost_first: float
    """The very first read, which often is slow and says little."""
    costs_assumed: int
    """Reads without a cost, which were given the look-up's median; 0 where it has none."""
    size_p50: float
    """Of the values found."""
    size_p95: float
    size_of_all: int
    """Of the last value of every key: what keeping everything would take."""
    sizes_assumed: int
    changes: int
    """Changes of a value that the trace shows, by a write or at a read."""
    changes_known: bool
    """Whether the trace shows any at all, by writes or versions; of all look-ups, whether each does. Where not, a fresh
    repeat is but a repeat."""
    gap_p50: float
    """Time between two reads of a key: an expiry shorter than most of these does little."""
    gap_p90: float
    scopes: int
    """Requests, sessions or pages that read here; 0 if the trace names none."""
    scoped_reads: int
    """Reads that name one."""
    scope_repeats: int
    """Reads of a key that was read before in the same one."""
    busiest_second: int
    """The most reads in a clock second."""
    span: float
    """From the first event of the trace to the last."""

    @property
    def reads_per_key(self) -> float:
        return _ratio(self.reads, self.keys)

    @property
    def repeat_share(self) -> float:
        """Ceiling (a): reads that unlimited room without expiry would answer, restarts and clears aside."""
        return _ratio(self.repeats, self.reads)

    @property
    def fresh_repeat_share(self) -> float:
        """Ceiling (b): those that it could answer with the present value."""
        return _ratio(self.fresh_repeats, self.reads)

    @property
    def null_share(self) -> float:
        return _ratio(self.nulls, self.reads)

    @property
    def saveable_share(self) -> float:
        """Of the origin's time: what fresh repeats took."""
        return _ratio(self.saveable_time, self.origin_time)

    @property
    def changes_per_hour(self) -> float:
        return _ratio(self.changes * 3600, self.span)

    @property
    def reads_per_change(self) -> float:
        """Infinite if nothing changed."""
        return self.reads / self.changes if self.changes else float("inf")

    @property
    def reads_per_scope(self) -> float:
        return _ratio(self.scoped_reads, self.scopes)

    @property
    def scope_repeat_share(self) -> float:
        return _ratio(self.scope_repeats, self.scoped_reads)

    def to_dict(self) -> dict[str, Any]:
        """Every number by its name. `reads_per_change` is None if nothing changed."""
        derived = [name for name, value in vars(type(self)).items() if isinstance(value, property)]
        numbers = asdict(self) | {name: getattr(self, name) for name in derived}
        return numbers | {"reads_per_change": numbers["reads_per_change"] if self.changes else None}


def _ratio(part: float, whole: float) -> float:
    return part / whole if whole else 0.0
