"""What a choice is to be best at: the aim, its limits, and what things are worth in money."""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Literal, NamedTuple, TypeVar

from vestigo.errors import RulesError, unknown
from vestigo.units import SECOND, Duration, format_bytes, format_seconds, format_share, parse_bytes, parse_share

if TYPE_CHECKING:
    import numpy as np

_LIMIT = re.compile(r"\s*(<=|>=)\s*(.*?)\s*")
_PARTS = re.compile(r"\s*(\d+\.\d+)\s*([A-Za-z]+)\s*")
_NUMBER = re.compile(r"\d+(?:_\d+)*(?:\.\d+)?")

Kind = Literal["share", "size", "span", "count"]
_Amounts = TypeVar("_Amounts", float, "np.ndarray")


class Measure(NamedTuple):
    """What an amount is an amount of, and whether more of it is better."""

    kind: Kind
    more_is_better: bool = False

    def read(self, text: str) -> float:
        """An amount as `Outcome.to_dict` has it. Raises ValueError."""
        if self.kind == "share":
            return float(parse_share(text))
        if self.kind == "size":
            size = _PARTS.fullmatch(text)  # a bound may lie between two bytes
            return float(size[1]) * parse_bytes(f"1 {size[2]}") if size else parse_bytes(text)
        if self.kind == "span":
            return Duration.parse(text) / SECOND
        if not _NUMBER.fullmatch(text):
            raise ValueError(f"{text!r} is not a number")
        return float(text)

    def write(self, amount: float) -> str:
        """For people."""
        if self.kind == "count":
            return f"{amount:,.0f}"
        return {"share": format_share, "size": format_bytes, "span": format_seconds}[self.kind](amount)


MEASURES: Mapping[str, Measure] = {
    "hit_rate": Measure("share", True),
    "fresh_hit_rate": Measure("share", True),
    "byte_hit_rate": Measure("share", True),
    "stale_rate": Measure("share"),
    "memory_peak": Measure("size"),
    "memory_mean": Measure("size"),
    "loads": Measure("count"),
    "origin_time": Measure("span"),
    "ghosts": Measure("count"),
    "evictions": Measure("count"),
    **{f"read_time.{part}": Measure("span") for part in ("mean", "p50", "p95", "p99", "max")},
    **{f"stale_age.{part}": Measure("span") for part in ("mean", "p95", "max")},
    **{f"surge.{part}": Measure("count") for part in ("second", "minute")},
}
"""By the names of `Outcome.to_dict`; those below a heading with a dot."""


def measure(name: str) -> Measure:
    """Raises ValueError."""
    if name not in MEASURES:
        raise ValueError(unknown(name, list(MEASURES)))
    return MEASURES[name]


def check_direction(word: str, name: str) -> None:
    """Whether a measure can be asked to be ``most``, or ``least``. Raises ValueError."""
    if measure(name).more_is_better != (word == "most"):
        other = "least" if word == "most" else "most"
        raise ValueError(
            f"{name} is the better the {'less' if word == 'most' else 'more'} there is of it; write {other}"
        )


class Limit(NamedTuple):
    """A bound that a candidate must keep.

    >>> Limit.read("memory_peak", "<= 64 MiB").allows(2**26 + 1)
    False
    """

    name: str
    sign: str
    bound: float

    @classmethod
    def read(cls, name: str, text: object) -> "Limit":
        """Raises ValueError."""
        what = measure(name)
        found = _LIMIT.fullmatch(text) if isinstance(text, str) else None
        if found is None:
            raise ValueError(f'{text!r} is no limit; write "<= {what.write(1)}" or ">= {what.write(1)}", say')
        return cls(name, found[1], what.read(found[2]))

    def beyond(self, amount: _Amounts) -> _Amounts:
        """How far outside the bound an amount lies, or each of several, in parts of the bound; inside, 0 or less."""
        outside = amount - self.bound if self.sign == "<=" else self.bound - amount
        return outside / (abs(self.bound) or 1.0)

    def allows(self, amount: float) -> bool:
        return amount <= self.bound if self.sign == "<=" else amount >= self.bound

    def __str__(self) -> str:
        return f"{self.name} {self.sign} {MEASURES[self.name].write(self.bound)}"


@dataclass(frozen=True)
class Worth:
    """What things cost, in one currency: turned into one number, money a month."""

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
    """The measure to make best, within limits; or, with `worth`, the money to make least.

    >>> Aim("fresh_hit_rate", {"memory_peak": "<= 64 MiB", "stale_rate": "<= 0.5 %"}).limits[1].bound
    0.005
    """

    best: str | None = "fresh_hit_rate"
    """None: least money, by `worth`."""
    bounds: Mapping[str, Any] = field(default_factory=dict)
    """By measure: ``"<= 64 MiB"``, or a list of such."""
    worth: Worth | None = None
    limits: tuple[Limit, ...] = field(init=False, default=())

    def __post_init__(self) -> None:
        problems: list[tuple[str, str]] = []
        if self.best is None and self.worth is None:
            problems.append(("best", "no measure is named, and no worth; name the measure to make best"))
        elif self.best is not None and self.best not in MEASURES:
            problems.append(("best", unknown(self.best, list(MEASURES))))
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
    """Limits that no outcome can keep together."""
    for low in limits:
        for high in limits:
            below = low.name == high.name or (low.name, high.name) == ("fresh_hit_rate", "hit_rate")
            if below and (low.sign, high.sign) == (">=", "<=") and low.bound > high.bound:
                yield low.name, f"{low} contradicts {high}; no settings can keep both"
