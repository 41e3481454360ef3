"""Reads the arguments of calls. What means nothing raises one kind of error, which names the argument."""

import inspect
import os
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any, TypeGuard, TypeVar

from vestigo.errors import RulesError, UnknownName, unknown
from vestigo.units import as_python, parse_share

_Value = TypeVar("_Value")


def argument(name: str, read: Callable[[object], _Value], value: object) -> _Value:
    """Reads an argument of a call like a value in a plan file. Raises RulesError, which names the argument.

    >>> from vestigo.units import parse_bytes
    >>> argument("total", parse_bytes, "1 KiB")
    1024
    """
    try:
        return read(as_python(value))
    except ValueError as error:
        raise RulesError(f"{name}: {error}") from None


def whole_number(name: str, value: object, least: int, most: int | None = None) -> int:
    """A whole number of Python or NumPy within bounds. Raises RulesError."""
    number = as_python(value)
    if type(number) is not int or number < least or (most is not None and number > most):
        bounds = f"from {least:,} on" if most is None else f"from {least:,} to {most:,}"
        raise RulesError(f"{name}: {shown(number)} is not a whole number {bounds}")
    return number


def positive(name: str, value: object) -> float:
    """A finite number above 0. Raises RulesError."""
    number = as_python(value)
    if isinstance(number, bool) or not isinstance(number, (int, float)) or not 0 < number < float("inf"):
        raise RulesError(f"{name}: {shown(number)} is not a number above 0; write, for example, 100")
    return float(number)


def text(name: str, value: object) -> str:
    """A text that is not empty. Raises RulesError."""
    if not isinstance(value, str) or not value:
        raise RulesError(f"{name}: {shown(value)} is not a text; write one in quotes")
    return value


def path_of(name: str, value: object) -> Path:
    """The path of a file or folder. Raises RulesError."""
    try:
        if isinstance(value, (str, Path)) and str(value) and b"\0" not in os.fsencode(value):
            return Path(value)
    except UnicodeEncodeError:  # half a character
        pass
    raise RulesError(f"{name}: {shown(value)} is not a path; write one in quotes")


def one_of(name: str, value: object, choices: Iterable[str]) -> str:
    """One of a few words. Raises UnknownName."""
    words = list(choices)
    if not isinstance(value, str) or value not in words:
        raise UnknownName(f"{name}: {unknown(value, words)}")
    return value


def share_above_zero(name: str, value: object, example: str, below: float | None = None) -> float:
    """A share that is more than 0 % and, if `below` is given, less than that. Raises RulesError."""
    share = float(argument(name, parse_share, value))
    if share == 0 or (below is not None and share >= below):
        upto = "above 0%" if below is None else f"between 0% and {below:.0%}"
        raise RulesError(f'{name}: {value!r} is not {upto}; write "{example}", for example')
    return share


def several(name: str, value: object, example: str) -> tuple[Any, ...]:
    """A list, tuple, range, array, series or generator as a tuple of Python's own values. Raises RulesError for a
    single value, a text or a mapping.
    """
    if isinstance(value, (str, bytes, Mapping)) or not isinstance(value, Iterable):
        raise RulesError(f"{name}: {shown(value)} is not a list of values; write {example}, for example")
    return tuple(as_python(one) for one in value)


def is_by_name(value: object) -> TypeGuard[Mapping[str, Any]]:
    """Whether it is a mapping of texts."""
    return isinstance(value, Mapping) and all(isinstance(name, str) for name in value)


def problem_of_function(function: object, name: str, called_with: Sequence[str]) -> str | None:
    """What is wrong with a function that we are to call with so many arguments, if anything is."""
    called = f"{name}({', '.join(called_with)})"
    if not callable(function):
        return f"{shown(function)} is not a function; give one that is called as {called}"
    if inspect.iscoroutinefunction(function) or inspect.iscoroutinefunction(getattr(function, "__call__", None)):  # noqa: B004
        return f"is a coroutine function; give a plain one that runs it to its end, called as {called}"
    try:
        inspect.signature(function).bind(*called_with)
    except TypeError as error:
        return f"cannot be called as {called}: {error}"
    except ValueError:  # a function of C tells nothing
        return None
    return None


def shown(value: object) -> str:
    """A value of whatever kind for a message."""
    said = " ".join(repr(as_python(value)).split())
    return said if len(said) <= 60 else f"{said[:57]}..."
