"""What the value of a rule may be, and how it is read from a plan or a call.

Each reader takes what a user wrote and returns the value, or raises ValueError with a sentence."""

from collections.abc import Sequence
from datetime import timedelta
from fractions import Fraction
from typing import NamedTuple, SupportsIndex

from vestigo.arguments import shown
from vestigo.units import Duration, as_python, format_exact_share, parse_bytes, parse_share

Span = str | timedelta
"""``"10m"``, ``"never"``, a `timedelta`; those of NumPy and pandas are taken, too. A `Duration` is a whole number."""
Size = str | SupportsIndex
"""``"64 MiB"``, ``"no limit"``, or a number of bytes."""
Entries = str | SupportsIndex
"""A number of entries, or ``"no limit"``."""
Share = str | Fraction
"""``"10%"``."""
Texts = str | Sequence[str]
"""One text, or several."""


MOST_ENTRIES, MOST_NODES = 2**40, 10_000


class Nulls(NamedTuple):
    """What happens to a null: ``skip``, ``keep`` (for a lifetime of its own, if given) or ``blind``."""

    mode: str
    lifetime: Duration | None = None

    def __str__(self) -> str:
        return self.mode if self.lifetime is None else f"{self.mode} {self.lifetime}"


class WhenFull(NamedTuple):
    """What happens to a value for which there is no room: ``evict``, ``refuse``, or ``free`` a share."""

    mode: str
    share: Fraction = Fraction(0)

    def __str__(self) -> str:
        return f"free {format_exact_share(self.share)}" if self.mode == "free" else self.mode

    def stay(self, limit: int) -> int:
        """How much of a limit may stay filled when room is made."""
        return int(limit * (1 - self.share))


class Collect(NamedTuple):
    """When an expired entry goes: when it is touched, at its deadline (``prompt``), or at the next of equal steps."""

    mode: str
    every: Duration | None = None

    def __str__(self) -> str:
        return self.mode if self.every is None else f"every {self.every}"


def from_text(text: str) -> bool | int | str | list[str]:
    """Reads a value as it is written outside a plan file: ``true``, ``500``, ``10m``, or a list (``[06:00, 18:00]``).

    >>> from_text("500"), from_text("0500"), from_text("10m"), from_text("[06:00, 18:00]")
    (500, '0500', '10m', ['06:00', '18:00'])
    """
    if text in ("true", "false"):
        return text == "true"
    if text.isascii() and text.isdigit() and (text[0] != "0" or text == "0"):
        return int(text)
    if not (text.startswith("[") and text.endswith("]")):
        return text.strip("\"'")
    return [one.strip().strip("\"'") for one in text[1:-1].split(",") if one.strip()]


def limit(value: object) -> int | None:
    """A number of entries. None means no limit."""
    value = as_python(value)
    if value is None or (isinstance(value, str) and value == "no limit"):
        return None
    if isinstance(value, float):
        raise ValueError(f"{value:g} is not a whole number of entries; round it, as in round({value:g})")
    if isinstance(value, bool) or not isinstance(value, int):
        raise ValueError(f'{shown(value)} is not a number of entries; write a whole number from 1 on, or "no limit"')
    if value < 1:
        raise ValueError(f'{value} could mean no entries or no limit; write "no limit", or a number from 1 on')
    if value > MOST_ENTRIES:
        raise ValueError(f'it is more than {MOST_ENTRIES:,}, which no memory holds; write "no limit" instead')
    return value


def nodes(value: object) -> int | None:
    """A number of servers. None means as recorded."""
    value = as_python(value)
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int) or not 1 <= value <= MOST_NODES:
        raise ValueError(
            f"{shown(value)} is not a number of nodes; there can be from 1 to at most {MOST_NODES:,} nodes"
        )
    return value


def byte_limit(value: object) -> int | None:
    """A size. None means no limit."""
    if value is None or (isinstance(value, str) and value == "no limit"):
        return None
    size = parse_bytes(value)
    if size == 0:
        raise ValueError('0 could mean no room or no limit; write "no limit", or a size such as "64 MiB"')
    return size


def lifetime(value: object) -> Duration | None:
    """How long an entry may live. None means for ever."""
    value = as_python(value)
    if value is None or (isinstance(value, str) and value == "never"):
        return None
    if (type(value) is int and value == 0) or (span := Duration.parse(value)) == 0:
        raise ValueError(
            f'{value!r} could mean "never expires" or "expires at once"; write "never", or a short time such as "1ms"'
        )
    return span


def nulls(value: object) -> Nulls:
    """``skip``, ``keep``, ``keep 30s`` or ``blind``."""
    if isinstance(value, Nulls):
        return value
    words = value.split(maxsplit=1) if isinstance(value, str) else []
    if words in (["skip"], ["keep"], ["blind"]):
        return Nulls(words[0])
    if len(words) == 2 and words[0] == "keep":
        return Nulls("keep", lifetime(words[1]))
    raise ValueError(f'{value!r} is not one of "skip", "keep", "keep 30s" (any duration), "blind"')


def when_full(value: object) -> WhenFull:
    """``evict``, ``refuse`` or ``free 10%``."""
    if isinstance(value, WhenFull):
        return value
    words = value.split(maxsplit=1) if isinstance(value, str) else []
    if words in (["evict"], ["refuse"]):
        return WhenFull(words[0])
    if len(words) == 2 and words[0] == "free":
        share = parse_share(words[1])
        if share == 0:
            raise ValueError(f'{value!r} would free nothing; write "evict", or a share such as "free 10%"')
        return WhenFull("free", share)
    raise ValueError(f'{value!r} is not one of "evict", "refuse", "free 10%" (any share)')


def collect(value: object) -> Collect:
    """``touch``, ``prompt`` or ``every 30s``."""
    if isinstance(value, Collect):
        return value
    words = value.split(maxsplit=1) if isinstance(value, str) else []
    if words in (["touch"], ["prompt"]):
        return Collect(words[0])
    if len(words) == 2 and words[0] == "every":
        every = Duration.parse(words[1])
        if every == 0:
            raise ValueError(f'{value!r} could mean "touch" or "prompt"; write one of these, or a time above 0')
        return Collect("every", every)
    raise ValueError(f'{value!r} is not one of "touch", "prompt", "every 30s" (any duration)')


def reload_after(value: object) -> Fraction | None:
    """A share of a lifetime. None means never."""
    if value is None or (isinstance(value, str) and value == "never"):
        return None
    part = share(value)
    if part in (0, 1):
        raise ValueError(f'{value!r} would mean at every hit, or never; write a share between, such as "80%"')
    return part


def flag(value: object) -> bool:
    value = as_python(value)
    if isinstance(value, bool):
        return value
    raise ValueError(f"{value!r} is not true or false")


def share(value: object) -> Fraction:
    """A share from ``0%`` to ``100%``."""
    return value if isinstance(value, Fraction) else parse_share(value)


def span(value: object) -> Duration:
    """A duration, which may be zero."""
    return Duration.parse(value)


def warm_up(value: object) -> Duration | int:
    """How much is replayed before counting begins: a duration, or a number of reads. None means nothing."""
    value = as_python(value)
    if value is None:
        return Duration(0)
    if isinstance(value, int) and not isinstance(value, (bool, Duration)):
        if not 0 <= value < 2**62:
            raise ValueError(f'{shown(value)} is not a number of reads; write one, or a duration such as "30m"')
        return value
    return Duration.parse(value)
