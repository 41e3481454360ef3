"""What the choice is to be best at: the aim, its limits, and prices."""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

from vestigo.errors import RulesError, unknown
from vestigo.measures import MEASURES, Measure, measure
from vestigo.units import format_share, parse_share

if TYPE_CHECKING:
    import numpy as np

_LIMIT = re.compile(r"\s*(<=|>=)\s*(.*?)\s*")
_TODAY = re.compile(r"today(?:\s*([+-])\s*(\d+(?:\.\d+)?\s*%))?")
_Amounts = TypeVar("_Amounts", float, "np.ndarray")


class Limit(NamedTuple):
    """A bound that a candidate must keep: an amount, or a multiple of what today's settings have.

    >>> Limit.read("memory_peak", "<= 64 MiB").allows(2**26 + 1)
    False
    >>> Limit.read("loads", "<= today + 10 %").beside(200).allows(219)
    True
    """

    name: str
    sign: str
    bound: float
    of_today: float | None = None
    """How many times today's amount the bound is. In that case `bound` means nothing until `beside` has worked it out.
    """

    @classmethod
    def read(cls, name: str, text: object) -> "Limit":
        """Raises ValueError."""
        what = measure(name)
        found = _LIMIT.fullmatch(text) if isinstance(text, str) else None
        if found is None:
            sign = ">=" if what.more_is_better else "<="
            raise ValueError(
                f'{text!r} is not a limit; write "{sign} {_amount_in(what, text)}" or "{sign} today", for example'
            )
        today = _TODAY.fullmatch(found[2])
        if today is None:
            return cls(name, found[1], what.read(found[2]))
        more = float(parse_share(today[2])) if today[2] else 0.0
        return cls(name, found[1], float("nan"), 1 + more if today[1] == "+" else 1 - more)

    def beside(self, today: float) -> "Limit":
        """The limit with its bound as a number, given what today's settings have."""
        return self if self.of_today is None else self._replace(bound=today * self.of_today, of_today=None)

    def beyond(self, amount: _Amounts) -> _Amounts:
        """How far an amount (or each of several) lies outside the bound, as a share of the bound. It is 0 or less
        inside.
        """
        outside = amount - self.bound if self.sign == "<=" else self.bound - amount
        return outside / (abs(self.bound) or 1.0)

    def allows(self, amount: float) -> bool:
        return amount <= self.bound if self.sign == "<=" else amount >= self.bound

    def __str__(self) -> str:
        return f"{MEASURES[self.name].label} {self.sign} {self.written}"

    @property
    def written(self) -> str:
        """The bound for people."""
        if self.of_today is None:
            return MEASURES[self.name].write(self.bound)
        more = self.of_today - 1
        return "today" + (f" {'+' if more > 0 else '-'} {format_share(abs(more))}" if more else "")


def _amount_in(what: Measure, text: object) -> str:
    """The text, if it is an amount of this measure; otherwise an example of one."""
    try:
        what.read(str(text))
    except ValueError:
        return {"share": "1 %", "size": "64 MiB", "span": "20ms", "count": "1000"}[what.kind]
    return str(text).strip()


@dataclass(frozen=True)
class Worth:
    """What things cost. Together they give one number: money a month."""

    million_loads: float = 0.0
    """A million origin calls."""
    gib_month: float = 0.0
    """A GiB of memory for a month."""
    stale_read: float = 0.0
    """One read that was answered with old data."""
    currency: str = ""

    def __post_init__(self) -> None:
        prices = (self.million_loads, self.gib_month, self.stale_read)
        wrong = [price for price in prices if isinstance(price, bool) or not isinstance(price, (int, float))]
        if wrong or not all(0 <= price < 1e15 for price in prices):
            raise RulesError("worth: a price is a number, 0 or more")
        if not any(prices):
            raise RulesError("worth: no price is given; give million_loads, gib_month or stale_read")


@dataclass(frozen=True)
class Aim:
    """What to make best within limits: a measure, or, with `worth`, money.

    >>> Aim("fresh_hit_rate", {"memory_peak": "<= 64 MiB", "stale_rate": "<= 0.5 %"}).limits[1].bound
    0.005
    """

    best: str | None = ""
    """None: least money, by `worth`. Unless something is said: most fresh hits, or where the trace shows no changes,
    most hits."""
    bounds: Mapping[str, Any] = field(default_factory=dict)
    """By measure: ``"<= 64 MiB"``, or a list of such."""
    worth: Worth | None = None
    limits: tuple[Limit, ...] = field(init=False, default=())
    is_usual: bool = field(init=False, default=False)
    """Whether nobody said what to make best."""

    def __post_init__(self) -> None:
        problems: list[tuple[str, str]] = []
        if self.best == "":
            object.__setattr__(self, "is_usual", True)
            object.__setattr__(self, "best", "fresh_hit_rate")
        if self.best is None and self.worth is None:
            problems.append(("best", "no measure is named, and no worth; name the measure to make best"))
        elif self.best is not None and self.best not in MEASURES:
            problems.append(("best", unknown(str(self.best), list(MEASURES))))
        limits = list(self._read_limits(problems))
        problems += _contradictions(limits)
        if problems:
            raise RulesError([f"aim.{name}: {problem}" for name, problem in problems], problems)
        object.__setattr__(self, "limits", tuple(limits))

    def _read_limits(self, problems: list[tuple[str, str]]) -> Iterator[Limit]:
        for name, texts in self.bounds.items():
            for text in texts if isinstance(texts, (list, tuple)) else [texts]:
                try:
                    yield Limit.read(name, text)
                except ValueError as error:
                    problems.append((name, str(error)))


def _contradictions(limits: list[Limit]) -> Iterator[tuple[str, str]]:
    """Sentences for limits that no outcome can keep together."""
    for low in limits:
        for high in limits:
            below = low.name == high.name or (low.name, high.name) == ("fresh_hit_rate", "hit_rate")
            numbers = low.of_today is None and high.of_today is None
            if below and numbers and (low.sign, high.sign) == (">=", "<=") and low.bound > high.bound:
                yield low.name, f"{low} contradicts {high}; no settings can keep both"
