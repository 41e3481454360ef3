"""Turns durations, sizes and shares from text with a unit into whole numbers and back, and times into text."""

import math
import re
from datetime import datetime, timedelta
from fractions import Fraction
from typing import Any

SECOND = 1_000_000_000

_DURATIONS = {
    "ns": 1,
    "us": 1_000,
    "ms": 1_000_000,
    "s": SECOND,
    "m": 60 * SECOND,
    "h": 3600 * SECOND,
    "d": 86_400 * SECOND,
}
"""The units in which durations are printed."""
DURATION_SIZES = {**_DURATIONS, "w": 7 * 86_400 * SECOND}
_WORDS = {
    "w": "weeks? wks?",
    "d": "days?",
    "h": "hours? hrs?",
    "m": "minutes? mins?",
    "s": "seconds? secs?",
    "ms": "milliseconds?",
    "us": "microseconds?",
    "ns": "nanoseconds?",
}
"""Patterns of the usual words for units, the largest first."""
_NUMBER = r"\d+(?:\.\d+)?"


def _part(unit: str) -> str:
    signs = "us|\u00b5s|\u03bcs" if unit == "us" else unit
    return rf"(?:(?P<{unit}>{_NUMBER})\s*(?:{signs}|(?i:{'|'.join(_WORDS[unit].split())}))\s*)?"


DURATIONS_WRITTEN = (
    rf"^\s*{''.join(map(_part, _WORDS))}$",
    rf"^\s*P(?:(?P<w>{_NUMBER})W)?(?:(?P<d>{_NUMBER})D)?"
    rf"(?:T(?:(?P<h>{_NUMBER})H)?(?:(?P<m>{_NUMBER})M)?(?:(?P<s>{_NUMBER})S)?)?\s*$",
)
"""Patterns of a duration: ``1h 30m``, and ``PT1H30M`` as ISO 8601 writes it. Each group is an amount of the unit whose
name it has. At least one must be there.
"""
_SIZES = {
    "B": 1,
    "KiB": 2**10,
    "MiB": 2**20,
    "GiB": 2**30,
    "TiB": 2**40,
    "kB": 10**3,
    "MB": 10**6,
    "GB": 10**9,
    "TB": 10**12,
}
LONGEST = 36_525 * _DURATIONS["d"]
"""A hundred years, in ns."""
_LARGEST = 2**60
SIZE_WRITTEN = rf"^\s*(?P<number>{_NUMBER})\s*(?P<unit>[A-Za-z]*)\s*$"
"""A pattern of a size. Without a unit it is one only where numbers are bytes."""
_QUANTITY = re.compile(rf"\s*({_NUMBER})\s*([A-Za-z]*)\s*")
_SHARE = re.compile(r"\s*(\d+(?:\.\d+)?)\s*%\s*")


_A_DURATION = 'a duration such as "500ms", "90s", "10m", "4h" or "1d"'


def as_python(value: Any) -> object:
    """A scalar of NumPy as Python's own number, text or bool; everything else as it is. Times and durations of NumPy
    stay, because Python's own are less exact.
    """
    is_scalar = hasattr(value, "dtype") and getattr(value, "shape", None) == ()
    return value.item() if is_scalar and value.dtype.kind in "biufSU" else value


class Duration(int):
    """A span of time in whole nanoseconds that prints with its unit.

    >>> Duration.parse("90s"), int(Duration.parse("1.5ms")), Duration.parse(timedelta(minutes=2))
    (Duration('90s'), 1500000, Duration('2m'))
    """

    @classmethod
    def parse(cls, text: object) -> "Duration":
        """Reads text such as ``500ms``, ``90s``, ``1h 30m``, ``2 weeks`` or ``PT4H`` (ISO 8601), and the durations of
        Python, NumPy and pandas.

        Raises ValueError for anything without a unit, and for more than 100 years.
        """
        if isinstance(text, Duration):
            return text
        if (of_others := _ns_of(text)) is not None:
            if not 0 <= of_others <= LONGEST:
                raise ValueError(f"{str(text)[:40]} is not a duration from 0 to 100 years")
            return cls(of_others)
        text = as_python(text)
        if isinstance(text, (int, float)) and not isinstance(text, bool):
            shown = f"{text:g}" if abs(text) < 1e15 else "the number"
            if not 0 <= text < 1e15:
                raise ValueError(f"{shown} is not {_A_DURATION}")
            raise ValueError(f'{shown} has no unit; write "{shown}s" for seconds or "{shown}ms" for milliseconds')
        ns = _duration(text)
        if ns > LONGEST:
            raise ValueError(f'{text!r} is longer than 100 years; write "never" for no end')
        return cls(ns)

    def __str__(self) -> str:
        for unit, size in reversed(_DURATIONS.items()):
            if self and self % size == 0:
                return f"{self // size}{unit}"
        return "0s"

    def __repr__(self) -> str:
        return f"Duration({str(self)!r})"


def parse_bytes(text: object) -> int:
    """Reads text such as ``64 MiB``, or a number of bytes.

    >>> parse_bytes("64 MiB"), parse_bytes("1.5 kB"), parse_bytes(300)
    (67108864, 1500, 300)
    """
    text = as_python(text)
    size = text if isinstance(text, int) and not isinstance(text, bool) else None
    if size is None:
        size = _size(text)
    if not 0 <= size <= _LARGEST:
        raise ValueError(f"{str(text)[:30]} is out of range; a size is between 0 and 2^60 bytes")
    return size


def format_exact_bytes(size: int) -> str:
    """Bytes in the largest binary unit that gives a whole number.

    >>> format_exact_bytes(8 * 2**20), format_exact_bytes(1025)
    ('8 MiB', '1025 B')
    """
    scale, name = next(unit for unit in SIZES if size % unit[0] == 0 and (size or unit[1] == "B"))
    return f"{size // scale} {name}"


def parse_share(text: Any) -> Fraction:
    """Reads text such as ``70%`` as a share from 0 to 1.

    >>> parse_share("70%"), parse_share("0.5 %")
    (Fraction(7, 10), Fraction(1, 200))
    """
    text = as_python(text)
    match = _SHARE.fullmatch(text) if isinstance(text, str) else None
    share = Fraction(match[1]) / 100 if match else None
    if share is None or share > 1:
        is_number = isinstance(text, (int, float)) and not isinstance(text, bool) and 0 <= text <= 1
        such_as = f', such as "{float(text) * 100:.12g}%"' if is_number else ""
        raise ValueError(f'{text!r} is not a share; write one from "0%" to "100%"{such_as}')
    return share


def format_exact_share(share: Fraction) -> str:
    """
    >>> format_exact_share(Fraction(7, 10)), format_exact_share(Fraction(1, 200))
    ('70%', '0.5%')
    """
    return f"{float(share * 100):.12g}%"


def byte_unit(unit: str) -> int | None:
    """How many bytes a unit has, or None if it is unknown."""
    return _SIZES.get("B" if unit.lower() in ("byte", "bytes") else unit)


def _ns_of(span: Any) -> int | None:
    """The ns of a duration of NumPy, pandas or Python; None for everything else."""
    span = getattr(span, "asm8", span)  # as pandas holds it, to the ns
    if getattr(getattr(span, "dtype", None), "kind", "") == "m" and getattr(span, "shape", None) == ():
        return int(span.astype("timedelta64[ns]").astype("int64"))
    if isinstance(span, timedelta):
        return ((span.days * 86_400 + span.seconds) * 1_000_000 + span.microseconds) * 1000
    return None


def _duration(text: object) -> int:
    found = [re.match(written, text) for written in DURATIONS_WRITTEN] if isinstance(text, str) else []
    parts = [(unit, number) for match in found if match for unit, number in match.groupdict().items() if number]
    if not parts:
        raise _not_a_quantity(text, _DURATIONS, _A_DURATION)
    exact = sum((Fraction(number) * DURATION_SIZES[unit] for unit, number in parts), Fraction(0))
    return _whole(exact, text, "nanoseconds")


def _size(text: object) -> int:
    match = re.match(SIZE_WRITTEN, text) if isinstance(text, str) else None
    scale = byte_unit(match["unit"]) if match else None
    if match is None or scale is None:
        raise _not_a_quantity(text, _SIZES, 'a size such as "512 KiB" or "64 MiB"')
    return _whole(Fraction(match["number"]) * scale, text, "bytes")


def _whole(exact: Fraction, text: object, things: str) -> int:
    if exact.denominator != 1:
        raise ValueError(f"{text!r} is not a whole number of {things}")
    return int(exact)


def _not_a_quantity(text: object, units: dict[str, int], expected: str) -> ValueError:
    match = _QUANTITY.fullmatch(text) if isinstance(text, str) else None
    if match is None:
        return ValueError(f"{text!r} is not {expected}")
    readings = " or ".join(f'"{match[1]}{near}"' for near in list(units)[2:4])
    wrong = f"the unit {match[2]!r} is unknown" if match[2] else "it has no unit"
    return ValueError(f"{text!r} is not {expected}: {wrong}; write, for example, {readings}")


SPANS = ((86_400, "d"), (3600, "h"), (60, "min"), (1, "s"), (1e-3, "ms"), (1e-6, "µs"), (1e-9, "ns"))
SIZES = ((2**40, "TiB"), (2**30, "GiB"), (2**20, "MiB"), (2**10, "KiB"), (1, "B"))
SHARES = ((0.01, "%"),)
Units = tuple[tuple[float, str], ...]


def best_unit(amount: float, units: Units) -> tuple[float, str]:
    """The largest unit of which `amount` has at least one, as (size, name), or else the last."""
    return next((unit for unit in units if amount >= unit[0] * 0.9995), units[-1])


def format_amount(amount: float, units: Units) -> str:
    """An amount with three significant digits in the best unit.

    >>> format_amount(0.0214, SPANS), format_amount(67108864, SIZES), format_amount(0.5, SHARES)
    ('21.4 ms', '64.0 MiB', '50.0 %')
    """
    size, name = best_unit(amount, units)
    return f"{three_digits(amount / size)} {name}"


def format_seconds(seconds: float) -> str:
    """
    >>> [format_seconds(s) for s in (0, 1e-6, 1.5, 75, 5400, 200000)]
    ['0 s', '1.00 µs', '1.50 s', '1.25 min', '1.50 h', '2.31 d']
    """
    return format_amount(seconds, SPANS) if seconds else "0 s"


def format_span(seconds: float) -> str:
    """The same for a duration that may be negative.

    >>> format_span(-90)
    '-1.50 min'
    """
    return f"-{format_seconds(-seconds)}" if seconds < 0 else format_seconds(seconds)


def format_bytes(size: float) -> str:
    """
    >>> [format_bytes(b) for b in (0, 700, 2048)]
    ['0 B', '700 B', '2.00 KiB']
    """
    return format_amount(size, SIZES)


def format_share(share: float) -> str:
    """
    >>> [format_share(s) for s in (0, 0.00012, 0.034, 1)]
    ['0 %', '0.0120 %', '3.40 %', '100 %']
    """
    return format_amount(share, SHARES)


def format_time(at_ns: int, beside_ns: int | None = None) -> str:
    """A time to the millisecond, in UTC. The day is left out `beside` a time of the same day.

    >>> format_time(1_700_000_000 * 10**9), format_time(1_700_000_001 * 10**9, 1_700_000_000 * 10**9)
    ('2023-11-14 22:13:20.000', '22:13:21.000')
    """
    day, clock = _utc(at_ns)
    return clock if beside_ns is not None and _utc(beside_ns)[0] == day else f"{day} {clock}"


def _utc(at_ns: int) -> list[str]:
    """The day and the time of day."""
    at = datetime(1970, 1, 1) + timedelta(microseconds=at_ns // 1000)  # all is in UTC
    return at.isoformat(" ", "milliseconds").split(" ")


def three_digits(number: float) -> str:
    """
    >>> [three_digits(n) for n in (0, 0.01234, 1.234, 12.34, 123.4, 99.96, 1234.5)]
    ['0', '0.0123', '1.23', '12.3', '123', '100', '1,234']
    """
    if number == 0:
        return "0"
    places = 2 - math.floor(math.log10(abs(float(f"{number:.2e}"))))
    return f"{number:,.{max(places, 0)}f}"


def capitalised(text: str) -> str:
    """The text with its first letter in upper case, and all others as they are.

    >>> capitalised("today's settings")
    "Today's settings"
    """
    return text[:1].upper() + text[1:]


def counted(number: int, thing: str, things: str = "") -> str:
    """A number of things, in words.

    >>> counted(1, "row"), counted(1200, "row")
    ('1 row', '1,200 rows')
    """
    return f"{number:,} {thing if number == 1 else things or f'{thing}s'}"
