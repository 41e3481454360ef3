"""What the user says about a file's columns, in the `[trace]` table of a plan or in a call."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from types import MappingProxyType
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from vestigo.data import Named, Told
from vestigo.errors import TraceError, unknown
from vestigo.trace.formats.packed import LIMITS, Limits
from vestigo.trace.reading.column_kinds import NAMES
from vestigo.trace.reading.pattern import Pattern, parse_patterns
from vestigo.trace.reading.template import Template
from vestigo.trace.reading.times import UNITS
from vestigo.units import Duration, parse_bytes

Problem = tuple[tuple[str, ...], str]
"""A key, and what is wrong with its value."""


def _made_again(options: Told) -> "Intake":
    return Intake(**options)


@dataclass(frozen=True, repr=False)
class Intake(Named):
    """What a file's columns mean. It is immutable, and checked when it is made. Nothing in it is evaluated.

    A template is text with columns in braces: ``"{route}:{user}"`` or ``"{ts}"``. Text without columns is a constant.
    Raises TraceError, which names every wrong option.

    >>> Intake(columns={"at": "{ts}", "key": "{route}:{user}"}, at_unit="ms", null_where={"rows": "0"}).at_unit
    'ms'
    """

    columns: Mapping[str, str] = field(default_factory=dict)
    """A template for each column of the trace that is not found under its own name."""
    match: str | None = None
    """A template for the text that `patterns` are matched with."""
    patterns: Mapping[str, str | Sequence[str]] = field(default_factory=dict)
    """Patterns for each look-up, such as ``{"vessel": "/vessels/{call_sign}"}``. They give the look-up and the key. The
    first that matches counts. Rows that match none are left out, and a note says so.
    """
    null_where: Mapping[str, object] = field(default_factory=dict)
    """Columns of the file with the value, or values, at which the origin had nothing. Where such a column is empty,
    nobody knows what it had.
    """
    hit_where: Mapping[str, object] = field(default_factory=dict)
    """Columns of the file with the value, or values, at which a cache answered. The cost of such a read is that of the
    hit (``hit_cost``), not the origin's.
    """
    at_unit: str | None = None
    """The unit of numbers in `at`, which count from 1970: s, ms, us, ns. By default their magnitude tells it."""
    cost_unit: str | None = None
    """The unit of numbers in `cost`. By default the amounts tell it; recordings of our own count in ns."""
    zone: str | None = None
    """The time zone of times without an offset, such as ``Europe/Lisbon``."""
    format: str | None = None
    """The format of the file, if its ending does not tell it: ``csv``, ``jsonl.gz``, ``log``..."""
    behind: str | None = None
    """Whether the trace was recorded behind a cache, so that the reads which it answered are missing: ``"no"``, or the
    lifetime of that cache. By default the gaps between reads tell.
    """
    strict: bool = False
    """Refuse a file if rows of it would have to be left out."""
    longest_line: str | int = LIMITS.longest_line
    """A file with a longer line is refused: a size such as ``"64 MiB"``."""
    unfolds_to: str | int = LIMITS.unfolds_to
    """A file that takes more than this when it is read, and more than 200 times its own size, is refused."""

    def __post_init__(self) -> None:
        for name in _TABLES:
            value = getattr(self, name)
            if isinstance(value, Mapping):
                object.__setattr__(self, name, MappingProxyType(dict(value)))
        if found := problems({option.name: getattr(self, option.name) for option in fields(self)}):
            raise TraceError([f"{'.'.join(key)}: {problem}" for key, problem in found])

    def __reduce__(self) -> tuple[object, ...]:
        own = {option.name: getattr(self, option.name) for option in fields(self)}
        plain = {name: dict(value) if isinstance(value, Mapping) else value for name, value in own.items()}
        return _made_again, (plain,)

    def __repr__(self) -> str:
        return f"Intake({', '.join(f'{name}={value!r}' for name, value in self.to_dict().items())})"

    def to_dict(self) -> Told:
        """The options that differ from the usual, as a plan file has them."""
        own = {option.name: getattr(self, option.name) for option in fields(self)}
        stated = {name: value for name, value in own.items() if value != _USUAL[name]}
        return {name: _plain(value) for name, value in stated.items()}

    def with_options(self, options: Mapping[str, object]) -> "Intake":
        """The intake with other options in place of its own. Tables are put on top of its own tables."""
        if not options:
            return self
        own = {option.name: getattr(self, option.name) for option in fields(self)}
        if unknown_names := [problem for key, problem in problems(options) if key[0] not in own]:
            raise TraceError(unknown_names)
        on_top = {
            name: {**own[name], **value} if isinstance(value, Mapping) and isinstance(own[name], Mapping) else value
            for name, value in options.items()
        }
        return Intake(**{**own, **on_top})

    def templates(self, defaults: Mapping[str, str]) -> dict[str, Template]:
        """The template of each column of the trace: the user's, or else the format's."""
        return {name: Template.parse(text) for name, text in {**defaults, **self.columns}.items()}

    @property
    def limits(self) -> Limits:
        return Limits(parse_bytes(self.longest_line), parse_bytes(self.unfolds_to))

    @property
    def parsed_patterns(self) -> tuple[Pattern, ...]:
        return parse_patterns(self.patterns)


def _plain(value: object) -> object:
    if isinstance(value, Mapping):
        return {name: _plain(one) for name, one in value.items()}
    return list(value) if isinstance(value, tuple) else value


def problems(options: Mapping[str, Any]) -> list[Problem]:
    """The problems of options as a user wrote them, each with its key."""
    problems_found: list[Problem] = []
    known = [option.name for option in fields(Intake)]
    problems_found += [((str(name),), unknown(name, known)) for name in options if name not in known]
    for name, check_table in _TABLES.items():
        if not isinstance(options.get(name, {}), Mapping):
            problems_found.append(((name,), f"{options[name]!r} is not a table of names and values"))
        elif odd := [key for key in options.get(name, {}) if not isinstance(key, str)]:
            problems_found.append(((name,), f"{odd[0]!r} is not a name; write it in quotes"))
        else:
            problems_found += [((name, *key), problem) for key, problem in check_table(options.get(name, {}))]
    of_singles = {name: check(options.get(name)) for name, check in _SINGLES.items()}
    problems_found += [((name,), problem) for name, problem in of_singles.items() if problem is not None]
    has_patterns = isinstance(options.get("patterns"), Mapping) and len(options["patterns"]) > 0
    if has_patterns and isinstance(options.get("columns"), Mapping) and "lookup" in options["columns"]:
        problems_found.append(
            (("columns", "lookup"), "is there besides patterns, which name the look-ups; leave one out")
        )
    if options.get("match") is not None and not has_patterns:
        problems_found.append((("match",), "is there without patterns; add patterns, or leave it out"))
    return problems_found


def _columns(table: Mapping[str, object]) -> list[Problem]:
    unknown_names: list[Problem] = [((name,), unknown(name, list(NAMES))) for name in table if name not in NAMES]
    of_templates = {name: _template(template) for name, template in table.items()}
    return unknown_names + [((name,), problem) for name, problem in of_templates.items() if problem is not None]


def _patterns(table: Mapping[str, object]) -> list[Problem]:
    problems: list[Problem] = []
    for lookup, texts in table.items():
        patterns = [texts] if isinstance(texts, str) else texts
        if not isinstance(patterns, Sequence) or not all(isinstance(text, str) for text in patterns) or not patterns:
            problems.append(((lookup,), f"{texts!r} is not a pattern; write text such as '/vessels/{{call_sign}}'"))
            continue
        for text in patterns:
            try:
                Pattern.parse(lookup, text)
            except ValueError as error:
                problems.append(((lookup,), str(error)))
    return problems


def _values(table: Mapping[str, object]) -> list[Problem]:
    return [
        ((name,), f"{value!r} is not a value or a list of values")
        for name, value in table.items()
        if not all(isinstance(one, (str, int, float, bool)) for one in (value if isinstance(value, list) else [value]))
    ]


def _template(text: object) -> str | None:
    if not isinstance(text, str):
        return f"{text!r} is not text; write a column in braces, such as '{{route}}', or a constant in quotes"
    try:
        Template.parse(text)
    except ValueError as error:
        return str(error)
    return None


def _unit(value: object) -> str | None:
    return (
        None
        if value is None or (isinstance(value, str) and value in UNITS)
        else f"{value!r} is not one of {', '.join(UNITS)}"
    )


def _zone(value: object) -> str | None:
    try:
        return None if value is None else (ZoneInfo(value), None)[1]  # type: ignore[arg-type]
    except (ZoneInfoNotFoundError, ValueError, TypeError, OSError):
        return f"{value!r} is not a time zone that this machine knows; write one such as 'Europe/Lisbon' or 'UTC'"


def _behind(value: object) -> str | None:
    if value is None or (isinstance(value, str) and value == "no"):
        return None
    try:
        return None if Duration.parse(value) > 0 else "a lifetime of 0 answers nothing; write no"
    except ValueError:
        return f'{value!r} is neither "no" nor the lifetime of a cache; write "no", or a duration such as "10m"'


def _text(value: object) -> str | None:
    return None if value is None or isinstance(value, str) else f"{value!r} is not text"


def _yes_or_no(value: object) -> str | None:
    return None if value is None or isinstance(value, bool) else f"{value!r} is neither true nor false"


def _size(value: object) -> str | None:
    try:
        return None if value is None or parse_bytes(value) > 0 else "a limit of 0 would refuse every file"
    except ValueError as error:
        return str(error)


_TABLES = {"columns": _columns, "patterns": _patterns, "null_where": _values, "hit_where": _values}
_SINGLES = {
    "match": lambda value: None if value is None else _template(value),
    "at_unit": _unit,
    "cost_unit": _unit,
    "zone": _zone,
    "behind": _behind,
    "format": _text,
    "strict": _yes_or_no,
    "longest_line": _size,
    "unfolds_to": _size,
}
_USUAL = {option.name: getattr(Intake(), option.name) for option in fields(Intake)}
