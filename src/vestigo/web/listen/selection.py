"""Which spans are recorded, and as what. Conditions concern a span's name, the library that made it (OpenTelemetry's
instrumentation scope), or its attributes.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import pyarrow as pa

from vestigo.errors import InputError
from vestigo.trace.formats.spans import Spans
from vestigo.trace.reading.pattern import Pattern

SHORT = {"name": "name", "library": "otel.scope.name"}
"""What a condition may name besides attributes."""


@dataclass(frozen=True)
class Conditions:
    """Patterns for columns of spans. For each column, at least one of its patterns must match. Without patterns nothing
    matches.
    """

    patterns: dict[str, tuple[Pattern, ...]] = field(default_factory=dict)

    @classmethod
    def parse(cls, option: str, texts: Sequence[str]) -> "Conditions":
        """Reads texts such as ``name=load {...}``. Raises InputError with a sentence for each wrong one.

        >>> list(Conditions.parse("--span", ["name=load {...}", "db.system.name=postgresql"]).patterns)
        ['name', 'db.system.name']
        """
        patterns: dict[str, tuple[Pattern, ...]] = {}
        problems = []
        for text in texts:
            column, equals, pattern = text.partition("=")
            if not (column and equals and pattern):
                problems.append(f"{option} {text}: is not NAME=PATTERN; write name='load {{...}}', for example")
                continue
            try:
                parsed = Pattern.parse(column, pattern)
            except ValueError as error:
                problems.append(f"{option} {text}: {error}")
                continue
            column = SHORT.get(column, column)
            patterns[column] = (*patterns.get(column, ()), parsed)
        if problems:
            raise InputError(problems)
        return cls(patterns)

    def match(self, spans: Spans) -> np.ndarray:
        """Which spans match."""
        kept = np.full(len(spans), bool(self.patterns))
        for column, patterns in self.patterns.items():
            texts = spans.column(column)
            if texts is None:
                return np.zeros(len(spans), bool)
            texts = texts.cast(pa.large_string())
            kept &= np.logical_or.reduce([_matches(pattern, texts) for pattern in patterns])
        return kept


@dataclass(frozen=True)
class Selection:
    """Which spans are reads, writes and removes. Without conditions for reads, every other span is a read."""

    reads: Conditions = Conditions()
    writes: Conditions = Conditions()
    removes: Conditions = Conditions()

    @property
    def columns(self) -> tuple[str, ...]:
        """The columns that the conditions need."""
        return tuple(dict.fromkeys(name for one in (self.reads, self.writes, self.removes) for name in one.patterns))

    def ops(self, spans: Spans) -> pa.Array:
        """What each span is: a write, a remove, or a read. It is missing if the span is not recorded."""
        codes = np.full(len(spans), -1)
        codes[self.reads.match(spans) if self.reads.patterns else slice(None)] = 0
        codes[self.writes.match(spans)] = 1
        codes[self.removes.match(spans)] = 2
        return pa.array(["read", "write", "remove"]).take(pa.array(codes, mask=codes < 0))


EVERYTHING = Selection()


def hits_of(option: str, texts: Sequence[str]) -> dict[str, list[str]]:
    """Columns of spans with the values at which a cache answered, as `Intake.hit_where` takes them. Raises InputError
    with a sentence for each text that is wrong.

    >>> hits_of("--span-hit", ["desk.cache.hit=true", "name=cache.get"])
    {'desk.cache.hit': ['true'], 'name': ['cache.get']}
    """
    parted = [text.partition("=") for text in texts]
    if problems := [
        f"{option} {text}: is not NAME=VALUE; write desk.cache.hit=true, for example"
        for text, (name, _, value) in zip(texts, parted, strict=True)
        if not (name and value)
    ]:
        raise InputError(problems)
    values: dict[str, list[str]] = {}
    for name, _, value in parted:
        values.setdefault(SHORT.get(name, name), []).append(value)
    return values


def _matches(pattern: Pattern, texts: pa.Array) -> np.ndarray:
    matched, _ = pattern.keys(texts)
    return matched
