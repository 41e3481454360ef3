"""The numbers of a survey, for one look-up or for all together."""

from dataclasses import asdict, dataclass

from vestigo.data import Data, Told
from vestigo.units import format_share


@dataclass(frozen=True, eq=False, repr=False)
class Traits(Data):
    """Plain numbers: times in seconds, sizes in bytes, shares in [0, 1]. All are 0 if there are no reads."""

    reads: int
    keys: int
    """Distinct keys that were read."""
    once_share: float
    """Keys that were read only once."""
    repeats: int
    """Reads of a key that was read before."""
    fresh_repeats: int
    """Repeats whose value had not changed since the previous read."""
    answerable: int
    """Reads of a key of which an earlier event had a value: a read, a write or a preload. No cache can answer more,
    whoever shares it, unless it preloads.
    """
    fresh_answerable: int
    """Reads whose present value an earlier event had. No cache can give more fresh answers."""
    null_answerable: int
    """Those of them that found nothing."""
    scope_answerable: int
    """Those of them whose present value was read before in the same scope."""
    nulls: int
    """Reads that found nothing."""
    null_keys: int
    """Distinct keys for which a read found nothing."""
    null_keys_created: int
    """Such keys that had a value later."""
    origin_time: float
    """The time that all reads took at the origin."""
    saveable_time: float
    """The time that the `fresh_answerable` reads took. No more can be saved without old answers."""
    cost_p50: float
    cost_p95: float
    cost_first: float
    """The cost of the very first read, which is often slow and says little."""
    costs_assumed: int
    """Reads without a cost. They got the look-up's median, or 0 if it has none."""
    size_p50: float
    """The sizes of the values that were found."""
    size_p95: float
    size_of_all: int
    """The sizes of the last value of every key: the memory that keeping everything would take."""
    sizes_assumed: int
    changes: int
    """Changes of values that the trace shows, by a write or at a read."""
    changes_known: bool
    """Whether the trace shows any changes, by writes or versions. For all look-ups together, whether each of them does.
    If not, nobody knows which repeats are fresh.
    """
    gap_p50: float
    """The time between two reads of a key. A lifetime shorter than most of these does little."""
    gap_p90: float
    scopes: int
    """Requests, sessions or pages that read here, or 0 if the trace names none."""
    scoped_reads: int
    """Reads that name a scope."""
    scope_repeats: int
    """Reads of a key that was read before in the same scope."""
    busiest_second: int
    """The largest number of reads in a clock second."""
    span: float
    """The time from the first event of the trace to the last."""

    @property
    def reads_per_key(self) -> float:
        return _ratio(self.reads, self.keys)

    @property
    def repeat_share(self) -> float:
        return _ratio(self.repeats, self.reads)

    @property
    def fresh_repeat_share(self) -> float:
        """The share of reads that repeat a key whose value is unchanged since the read before."""
        return _ratio(self.fresh_repeats, self.reads)

    @property
    def answerable_share(self) -> float:
        """The most that any cache can answer, without regard to restarts and clears."""
        return _ratio(self.answerable, self.reads)

    @property
    def fresh_answerable_share(self) -> float:
        """The most that any cache can answer with the present value."""
        return _ratio(self.fresh_answerable, self.reads)

    @property
    def null_share(self) -> float:
        return _ratio(self.nulls, self.reads)

    @property
    def saveable_share(self) -> float:
        """The share of origin time that could be saved without old answers."""
        return _ratio(self.saveable_time, self.origin_time)

    @property
    def changes_per_hour(self) -> float:
        return _ratio(self.changes * 3600, self.span)

    @property
    def reads_per_change(self) -> float:
        """The number of reads for each change. It is infinite if nothing changed."""
        return self.reads / self.changes if self.changes else float("inf")

    @property
    def reads_per_scope(self) -> float:
        return _ratio(self.scoped_reads, self.scopes)

    @property
    def scope_repeat_share(self) -> float:
        return _ratio(self.scope_repeats, self.scoped_reads)

    def to_dict(self) -> Told:
        """Every number by its name. `reads_per_change` is None if nothing changed."""
        derived = [name for name, value in vars(type(self)).items() if isinstance(value, property)]
        numbers = asdict(self) | {name: getattr(self, name) for name in derived}
        return numbers | {"reads_per_change": numbers["reads_per_change"] if self.changes else None}

    def __repr__(self) -> str:
        fresh = f"{format_share(self.fresh_repeat_share)} repeats of unchanged values"
        return f"<Traits: {self.reads:,} reads of {self.keys:,} keys, {fresh}>"


def _ratio(part: float, whole: float) -> float:
    return part / whole if whole else 0.0
