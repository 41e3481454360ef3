"""What the choice is to be best at: the aim, its limits, and prices."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple, TypeVar

from vestigo.arguments import is_by_name, shown
from vestigo.data import Named, Told, can_be_kept
from vestigo.errors import RulesError, UnknownName, rules_error
from vestigo.measures import REHEARSED, Measure, check_direction, limited_measure
from vestigo.units import as_python, format_share, parse_share

if TYPE_CHECKING:
    import numpy as np

_LIMIT = re.compile(r"\s*(<=|>=)\s*(.*?)\s*")
_TODAY = re.compile(r"today(?:\s*([+-])\s*(\d+(?:\.\d+)?\s*%))?")
_Amounts = TypeVar("_Amounts", float, "np.ndarray")


@can_be_kept
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
        what = limited_measure(name)
        limit = _LIMIT.fullmatch(text) if isinstance(text, str) else None
        if limit is None:
            sign = ">=" if what.more_is_better else "<="
            raise ValueError(
                f'{text!r} is not a limit; write "{sign} {_amount_in(what, text)}" or "{sign} today", for example'
            )
        today = _TODAY.fullmatch(limit[2])
        if today is None:
            return cls(name, limit[1], what.read(limit[2]))
        more = float(parse_share(today[2])) if today[2] else 0.0
        return cls(name, limit[1], float("nan"), 1 + more if today[1] == "+" else 1 - more)

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
        return f"{limited_measure(self.name).label} {self.sign} {self.written}"

    @property
    def written(self) -> str:
        """The bound for people."""
        if self.of_today is None:
            return limited_measure(self.name).amount_text(self.bound)
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
class Worth(Named):
    """What things cost. Together they give one number: money a month."""

    million_loads: float = 0.0
    """A million origin calls."""
    gib_month: float = 0.0
    """A GiB of memory for a month."""
    stale_read: float = 0.0
    """One read that was answered with old data."""
    currency: str = ""

    def __post_init__(self) -> None:
        names = ("million_loads", "gib_month", "stale_read")
        prices = {name: as_python(getattr(self, name)) for name in names}
        problems = [
            (name, f"{shown(price)} is not a price; write a number, 0 or more")
            for name, price in prices.items()
            if isinstance(price, bool) or not isinstance(price, (int, float)) or not 0 <= price < 1e15
        ]
        if not problems and not any(prices.values()):
            problems.append(("million_loads", "no price is given; give million_loads, gib_month or stale_read"))
        if not isinstance(self.currency, str):
            problems.append(("currency", f"{shown(self.currency)} is not the name of a currency; write one in quotes"))
        if problems:
            raise RulesError([f"worth.{name}: {problem}" for name, problem in problems], problems)
        for name, price in prices.items():
            object.__setattr__(self, name, price)

    def to_dict(self) -> Told:
        """The prices that are not 0, and the currency, as a plan file has them."""
        stated = {one.name: getattr(self, one.name) for one in fields(self)}
        return {name: value for name, value in stated.items() if value}


OF = ("all", "worst")
"""Of several recordings, what an aim is of."""


@dataclass(frozen=True, repr=False)
class Aim(Named):
    """What to make best within limits: a measure of which `most` or `least` is wanted, or, with `worth`, money. Unless
    one is named, it is most fresh hits, or where the trace shows no changes, most hits.

    >>> aim = Aim(most="fresh_hit_rate", limits={"memory_peak": "<= 64 MiB", "stale_rate": "<= 0.5 %"})
    >>> aim.best, aim.each_limit[1].bound
    ('fresh_hit_rate', 0.005)
    """

    most: str | None = None
    least: str | None = None
    limits: Mapping[str, str | Sequence[str]] = field(default_factory=dict)
    """By measure: ``"<= 64 MiB"``, ``">= today"``, or a list of such."""
    worth: Worth | None = None
    """Prices, by which the least money is best."""
    of: str = "all"
    """Where several recordings are chosen for: what ``all`` of them have together is made best, or that of the
    ``worst``.
    """
    best: str | None = field(init=False, default=None, compare=False)
    """The measure to make best. None: money."""
    is_usual: bool = field(init=False, default=False, compare=False)
    """Whether nobody said what to make best."""
    each_limit: tuple[Limit, ...] = field(init=False, default=(), compare=False)
    rehearsed: tuple[Limit, ...] = field(init=False, default=(), compare=False)
    """The limits of bad moments, for which candidates are rehearsed from the best one down."""

    def __post_init__(self) -> None:
        problems = [*self._read_worth(), *self._wrong_names()]
        limits = list(self._read_limits(problems))
        problems += _contradictions(limits)
        if problems:
            raise rules_error([f"aim.{name}: {problem}" for name, problem in problems], problems)
        is_usual = self.most is None and self.least is None and self.worth is None
        object.__setattr__(self, "is_usual", is_usual)
        object.__setattr__(self, "best", "fresh_hit_rate" if is_usual else self.most or self.least)
        stated = {name: _one_or_more(texts) for name, texts in self.limits.items()}
        object.__setattr__(self, "limits", MappingProxyType(stated))
        object.__setattr__(self, "each_limit", tuple(one for one in limits if one.name not in REHEARSED))
        object.__setattr__(self, "rehearsed", tuple(one for one in limits if one.name in REHEARSED))

    def _read_worth(self) -> list[tuple[str, str]]:
        if self.worth is None or isinstance(self.worth, Worth):
            return []
        if not is_by_name(self.worth):
            return [("worth", f"{shown(self.worth)} is not prices; give Worth(million_loads=...)")]
        try:
            object.__setattr__(self, "worth", Worth(**self.worth))
        except UnknownName as error:
            names = [name for name in self.worth if name not in {one.name for one in fields(Worth)}]
            each = zip(names, error.problems, strict=True)
            return [(f"worth.{name}", problem.removeprefix("Worth: ")) for name, problem in each]
        except RulesError as error:
            return [(f"worth.{name}", problem) for name, problem in error.by_rule]
        return []

    def _wrong_names(self) -> Iterator[tuple[str, str]]:
        if self.of not in OF:
            yield "of", f'{shown(self.of)} is neither "all" nor "worst"'
        for word in ("most", "least"):
            if getattr(self, word) is not None:
                try:
                    check_direction(word, getattr(self, word))
                except ValueError as error:
                    yield word, str(error)
        if self.most is not None and self.least is not None:
            yield "least", "one measure is made best: most, or least"
        if self.worth is not None and (named := self.most or self.least):
            yield "worth", f"prices say what is best, and so does {named}; leave one out"

    def _read_limits(self, problems: list[tuple[str, str]]) -> Iterator[Limit]:
        if not isinstance(self.limits, Mapping):
            problems.append(("limits", f'{shown(self.limits)} is not limits; write {{"memory_peak": "<= 64 MiB"}}'))
            return
        for name, texts in self.limits.items():
            for text in texts if isinstance(texts, (list, tuple)) else [texts]:
                try:
                    yield Limit.read(name, text)
                except ValueError as error:
                    problems.append((str(name), str(error)))

    def to_dict(self) -> Told:
        """What is stated, as a plan file has it: the measure, the limits, and under ``worth`` the prices."""
        limits = {name: list(texts) if isinstance(texts, tuple) else texts for name, texts in self.limits.items()}
        words = {word: getattr(self, word) for word in ("most", "least") if getattr(self, word) is not None}
        words |= {"of": self.of} if self.of != OF[0] else {}
        return {**words, **limits, **({"worth": self.worth.to_dict()} if self.worth else {})}

    @classmethod
    def from_dict(cls, stated: Told) -> "Aim":
        """The aim from the data of `to_dict`."""
        own = {name: stated[name] for name in ("most", "least", "worth", "of") if name in stated}
        return cls(**own, limits={name: texts for name, texts in stated.items() if name not in own})

    def __repr__(self) -> str:
        stated = {word: getattr(self, word) for word in ("most", "least", "worth") if getattr(self, word) is not None}
        stated |= {"of": self.of} if self.of != OF[0] else {}
        limits = {"limits": dict(self.limits)} if self.limits else {}
        return f"Aim({', '.join(f'{name}={value!r}' for name, value in {**stated, **limits}.items())})"

    def __reduce__(self) -> tuple[object, ...]:
        return Aim, (self.most, self.least, dict(self.limits), self.worth, self.of)


def _one_or_more(texts: str | Sequence[str]) -> str | tuple[str, ...]:
    """A single text as it is, several as a tuple."""
    each = (texts,) if isinstance(texts, str) else tuple(texts)
    return each[0] if len(each) == 1 else each


def _contradictions(limits: list[Limit]) -> Iterator[tuple[str, str]]:
    """Sentences for limits that no outcome can keep together."""
    for low in limits:
        for high in limits:
            below = low.name == high.name or (low.name, high.name) == ("fresh_hit_rate", "hit_rate")
            numbers = low.of_today is None and high.of_today is None
            if below and numbers and (low.sign, high.sign) == (">=", "<=") and low.bound > high.bound:
                yield low.name, f"{low} contradicts {high}; no settings can keep both"
