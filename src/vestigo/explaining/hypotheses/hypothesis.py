"""``Hypothesis``: one thing that could be otherwise than a plan and a trace say."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from vestigo.rules import Pool
from vestigo.trace import Trace
from vestigo.units import Duration


@dataclass(frozen=True)
class Amount:
    """The value of a rule that is an amount, so that a nearby one can be tried, too."""

    value: int
    """A `Duration`, or a number of entries or bytes."""
    stated: int | None = None
    """The amount that the plan states, if it states one."""
    least: int = 1
    """No smaller amount is tried."""


@dataclass(frozen=True)
class Hypothesis:
    """Rules with other values for every look-up, or another trace."""

    what: str
    """In words, or as ``rule = value``."""
    rules: Mapping[str, object] = field(default_factory=dict)
    """The rules that have other values, as a plan writes these. Empty if the trace is otherwise."""
    amount: Amount | None = None
    """Of the only rule."""
    keys: Mapping[str, object] = field(default_factory=dict)
    """Values by dotted key, where the rules of one look-up, or how look-ups share rooms, are otherwise."""
    on: Callable[[Trace], Trace] | None = None
    """Makes the trace that is replayed."""
    is_cold: bool = False
    """Whether the cache was empty when counting began."""

    is_setting: bool = False
    """Whether `what` is a rule with its value."""

    @property
    def names(self) -> tuple[object, ...]:
        """Equal for hypotheses of which only one can hold: the same rules with other values."""
        return (*self.rules, *self.keys, self.on is None, self.is_cold)

    @property
    def kind(self) -> tuple[object, ...]:
        """Equal for those of which one leads to the next: the same rules, and the same policy beside a size."""
        return (*self.names, self.rules.get("eviction") if self.is_size else None)

    @property
    def is_of_pools(self) -> bool:
        """Whether a rule belongs to the room of entries, which several look-ups may share."""
        return any(rule in Pool.model_fields for rule in self.rules)

    @property
    def is_amount_stated(self) -> bool:
        """Whether it is only another amount of a rule that the plan states."""
        return self.amount is not None and self.amount.stated is not None

    @property
    def is_size(self) -> bool:
        """Whether the room has another size, maybe with another policy."""
        return self.amount is not None and not isinstance(self.amount.value, Duration)

    @property
    def adds_rows(self) -> bool:
        """Whether the trace gets rows, of preloads. Such a replay takes several times as long as another."""
        return any(key.rpartition(".")[2] == "preload" for key in (*self.rules, *self.keys))

    def said_of(self, lookups: Sequence[str]) -> str:
        """What it says of some look-ups, or of all if there are none.

        >>> Hypothesis("nulls are kept", {"nulls": "keep"}).said_of(["vessel"])
        'vessel: nulls are kept'
        """
        named = ", ".join(lookups)
        if not self.is_setting:
            return f"{named}: {self.what}" if lookups else self.what
        return f"{named or 'it'} {'run' if len(lookups) > 1 else 'runs'} with {self.what}"
