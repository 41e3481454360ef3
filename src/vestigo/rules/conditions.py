"""Which values are worth keeping: conditions on size, cost and key, or a user's own function."""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from vestigo.trace.reading.pattern import Pattern
from vestigo.units import Duration, parse_bytes

_CONDITION = re.compile(r"\s*(size|cost|key)\s*(<=|>=|!=|<|>|=)\s*(.*?)\s*")
_SHOWN = '"size <= 64 KiB", "cost >= 5ms", "key = tile/{...}" or "key != tmp/{...}"'
_NOTHING = "none"


class Value(NamedTuple):
    """What a condition in Python is asked about: a value that was loaded or written."""

    lookup: str
    key: str
    size: int
    """Bytes, without overhead."""
    cost_ns: int
    found: bool


@dataclass(frozen=True)
class KeepIf:
    """Conditions that must all hold, or `own`, a function from a `Value` to a bool."""

    texts: tuple[str, ...] = ()
    least_size: int = 0
    most_size: int = 2**62
    least_cost: int = 0
    most_cost: int = 2**62
    keys: tuple[tuple[str, bool], ...] = ()
    """Patterns that a key must match, or must not."""
    own: Callable[[Value], bool] | None = None

    @classmethod
    def read(cls, value: object) -> "KeepIf | None":
        """Reads a text, a list of texts, or a function. ``"all"`` means no condition, and ``"none"`` that no value is
        kept. Raises ValueError.

        >>> KeepIf.read(["size <= 64 KiB", "cost >= 5ms"]).most_size
        65536
        """
        if isinstance(value, KeepIf):
            return value
        if value is None or (isinstance(value, str) and value == "all"):
            return None
        if isinstance(value, str) and value == _NOTHING:
            return cls((_NOTHING,), most_size=-1)
        if callable(value):
            return cls((getattr(value, "__name__", type(value).__name__),), own=value)
        texts = (value,) if isinstance(value, str) else tuple(value) if isinstance(value, Sequence) else ()
        if not texts:
            raise ValueError(f"{value!r} is not a condition; write {_SHOWN}, or a list of them")
        least, most = {"size": 0, "cost": 0}, {"size": 2**62, "cost": 2**62}
        keys: list[tuple[str, bool]] = []
        for text in texts:
            what, sign, amount = _parts(text)
            if what == "key":
                keys.append((pattern(amount), sign == "="))
                continue
            number = int(parse_bytes(amount) if what == "size" else Duration.parse(amount))
            if sign in (">", ">="):
                least[what] = max(least[what], number + (sign == ">"))
            else:
                most[what] = min(most[what], number - (sign == "<"))
        return cls(tuple(texts), least["size"], most["size"], least["cost"], most["cost"], tuple(keys))

    def passes(self, size: int, cost: int) -> bool:
        """Whether the conditions on size and cost hold."""
        return self.least_size <= size <= self.most_size and self.least_cost <= cost <= self.most_cost

    def __str__(self) -> str:
        return ", ".join(self.texts)


def pattern(text: str) -> str:
    """A pattern of keys, checked. Raises ValueError."""
    Pattern.parse("", text)
    return text


def is_one_key(text: str) -> bool:
    """Whether a pattern can match no other key than itself."""
    return "{" not in text


def patterns(value: object) -> tuple[str, ...]:
    """A pattern of keys, or a list of them."""
    texts = (value,) if isinstance(value, str) else tuple(value) if isinstance(value, Sequence) else (None,)
    if not all(isinstance(text, str) for text in texts):
        raise ValueError(f'{value!r} is not a pattern of keys; write, for example, "tile/{{...}}", or a list of them')
    return tuple(pattern(text) for text in texts)


def _parts(text: object) -> tuple[str, str, str]:
    found = _CONDITION.fullmatch(text) if isinstance(text, str) else None
    if found is None or (found[1] == "key") != (found[2] in ("=", "!=")):
        raise ValueError(f"{text!r} is not a condition; write {_SHOWN}")
    return found[1], found[2], found[3]
