"""The eviction policies by name, their parameters, and the numbers that these give in a room of some size."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, NamedTuple

from vestigo.errors import unknown
from vestigo.rules.policy import LARGEST_ROOM, Policy, Room
from vestigo.units import Duration, format_exact_share, parse_share

Parameter = Fraction | Duration | int


Parameters = Mapping[str, Any]
"""By name, each of the type that the parameter has."""

Numbers = Callable[[int, Parameters], tuple[int, ...]]
"""From the capacity of the room and the parameters to whole numbers, of which policies know what they mean."""


class _Kind(NamedTuple):
    """How a parameter is written, and its value in the paper."""

    usual: Parameter
    least: int = 0
    most: int = 2**63 - 1

    def read(self, text: str) -> Parameter:
        if isinstance(self.usual, Fraction):
            return parse_share(text)
        if isinstance(self.usual, Duration):
            return Duration.parse(text)
        if not (text.isascii() and text.isdigit() and self.least <= int(text) <= self.most):
            raise ValueError(f"{text!r} is not a whole number from {self.least} to {self.most}")
        return int(text)


def _as_they_are(_: int, parameters: Parameters) -> tuple[int, ...]:
    return tuple(map(int, parameters.values()))


class Known(NamedTuple):
    """A policy that both engines have, with its parameters and the numbers that follow from them."""

    parameters: Mapping[str, _Kind] = {}
    numbers: Numbers = _as_they_are

    def written(self, value: Parameter) -> str:
        """A parameter's value as a plan writes it."""
        return _text(value)


def _percent(number: int) -> _Kind:
    return _Kind(Fraction(number, 100))


def _of_w_tinylfu(capacity: int, parameters: Parameters) -> tuple[int, ...]:
    window = max(int(capacity * parameters["window"]), 1)
    return window, int((capacity - window) * parameters["protected"]), parameters["sample"]


POLICIES: dict[str, Known] = {
    "lru": Known(),
    "fifo": Known(),
    "mru": Known(),
    "random": Known({"seed": _Kind(1)}),
    "clock": Known(),
    "sieve": Known(),
    "lfu": Known(),
    "lfu-da": Known(),
    "lru-k": Known({"k": _Kind(2, 1, 8), "retained": _Kind(Duration(200 * 10**9))}),
    "slru": Known({"protected": _percent(80)}, lambda capacity, given: (int(capacity * given["protected"]),)),
    "2q": Known(
        {"queue": _percent(25), "ghosts": _percent(50)},
        lambda capacity, given: (max(int(capacity * given["queue"]), 1), max(int(capacity * given["ghosts"]), 1)),
    ),
    "arc": Known(),
    "lirs": Known(
        {"passing": _percent(1)}, lambda capacity, given: (capacity - max(int(capacity * given["passing"]), 1),)
    ),
    "s3-fifo": Known({"small": _percent(10)}, lambda capacity, given: (max(int(capacity * given["small"]), 1),)),
    "w-tinylfu": Known({"window": _percent(1), "protected": _percent(80), "sample": _Kind(8, 1, 1000)}, _of_w_tinylfu),
    "gdsf": Known(),
    "belady": Known(),
}
"""By name. Both engines are asked in a test whether they have just these."""


@dataclass(frozen=True)
class Eviction:
    """A policy with its parameters, or a user's own policy.

    >>> Eviction.read("slru protected=70%"), str(Eviction.read("lru-k retained=200s k=3"))
    (Eviction('slru protected=70%'), 'lru-k k=3')
    """

    name: str
    parameters: tuple[tuple[str, Parameter], ...] = ()
    own: Callable[[Room], Policy] | None = None

    @classmethod
    def read(cls, value: object) -> "Eviction":
        """Reads a name with parameters, or takes a user's own class. Raises ValueError."""
        if isinstance(value, Eviction):
            return value
        if isinstance(value, type) and not issubclass(value, Policy):
            raise ValueError(f"{value.__name__} is not a Policy; derive your class from vestigo.Policy")
        if callable(value):
            return cls(getattr(value, "__name__", type(value).__name__), own=value)
        words = value.split() if isinstance(value, str) else []
        if not words:
            raise ValueError(f"{value!r} is not the name of a policy; known are {', '.join(POLICIES)}")
        if words[0] not in POLICIES:
            raise ValueError(unknown(words[0], list(POLICIES)))
        kinds = POLICIES[words[0]].parameters
        given: dict[str, Parameter] = {}
        for word in words[1:]:
            name, equals, text = word.partition("=")
            if name not in kinds or not equals:
                known = ", ".join(f"{kind}={_text(kinds[kind].usual)}" for kind in kinds) or "none"
                raise ValueError(f"{word!r} is not a parameter of {words[0]!r}; it has {known}")
            try:
                given[name] = kinds[name].read(text)
            except ValueError as error:
                raise ValueError(f"{word!r}: {error}") from None
        return cls(words[0], tuple((name, given.get(name, kind.usual)) for name, kind in kinds.items()))

    def room(self, max_entries: int | None, max_bytes: int | None) -> Room:
        """The room that the policy divides."""
        by_bytes = max_entries is None and max_bytes is not None
        limit = max_bytes if by_bytes else max_entries
        room = Room(LARGEST_ROOM if limit is None else min(limit, LARGEST_ROOM), by_bytes)
        return replace(room, numbers=self._numbers(room.capacity))

    def _numbers(self, capacity: int) -> tuple[int, ...]:
        return POLICIES[self.name].numbers(capacity, dict(self.parameters)) if self.name in POLICIES else ()

    def __str__(self) -> str:
        usual = POLICIES[self.name].parameters if self.name in POLICIES else {}
        changed = [f"{name}={_text(value)}" for name, value in self.parameters if value != usual[name].usual]
        return " ".join([self.name, *changed])

    def __repr__(self) -> str:
        return f"Eviction({str(self)!r})"


def _text(value: Parameter) -> str:
    return format_exact_share(value) if isinstance(value, Fraction) else str(value)
