"""Which counters of a running service mean what: ``[counters]`` in a plan."""

import re
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Annotated, NamedTuple

from pydantic import BeforeValidator

from vestigo.rules.checked import Checked
from vestigo.rules.values import Texts

_SERIES = re.compile(r"\s*([A-Za-z_:][\w:.]*)\s*(?:\{(.*)\})?\s*", re.DOTALL)
_LABEL = re.compile(r'\s*([A-Za-z_]\w*)\s*=\s*"((?:[^"\\]|\\.)*)"\s*(?:,|$)')
LOOKUP = "{lookup}"
"""Stands for the value of a label: the look-up that a series is of."""


class Series(NamedTuple):
    """A metric and the labels that it must have. The label whose value is the look-up has the value `LOOKUP`."""

    metric: str
    labels: Mapping[str, str]
    text: str

    @classmethod
    def parse(cls, text: str) -> "Series":
        """Reads a series as Prometheus writes it. Raises ValueError.

        >>> Series.parse('reads_total{result="hit", cache="{lookup}"}').labels
        {'result': 'hit', 'cache': '{lookup}'}
        """
        series = _SERIES.fullmatch(text)
        rest = series[2] if series else None
        labels, place = {}, 0
        while series and rest is not None and place < len(rest.rstrip()):
            label = _LABEL.match(rest, place)
            if label is None:
                series = None
                break
            labels[label[1]] = re.sub(r"\\(.)", r"\1", label[2])
            place = label.end()
        if series is None:
            raise ValueError(f'{text!r} is not a series; write a metric and its labels: reads_total{{result="hit"}}')
        return cls(series[1], labels, text)

    def lookup_in(self, labels: Mapping[str, str]) -> str | None:
        """The look-up that the labels name."""
        return next((labels.get(name) for name, value in self.labels.items() if value == LOOKUP), None)

    def fits(self, labels: Mapping[str, str]) -> bool:
        return all(
            name in labels if value == LOOKUP else labels.get(name, "") == value for name, value in self.labels.items()
        )

    def __str__(self) -> str:
        return self.text


def series(value: object) -> tuple[Series, ...]:
    """Reads one series, or a list of series that are added up. Raises ValueError."""
    each = value if isinstance(value, (list, tuple)) else [value]
    if not all(isinstance(one, (str, Series)) for one in each):
        raise ValueError(f"{value!r} is not a series; write text, such as 'reads_total{{result=\"hit\"}}'")
    return tuple(one if isinstance(one, Series) else Series.parse(str(one)) for one in each)


_Counter = Annotated[tuple[Series, ...], BeforeValidator(series)]


class CounterNames(Checked):
    """Which counters of the running cache say what: series of Prometheus, or columns of a table. What is not stated is
    looked for under its own name.

    >>> str(CounterNames(hits='reads_total{result="hit"}').hits[0])
    'reads_total{result="hit"}'
    """

    if TYPE_CHECKING:

        def __init__(  # noqa: PLR0913  # a rule each
            self,
            *,
            reads: Texts | Sequence[Series] = ...,
            hits: Texts | Sequence[Series] = ...,
            misses: Texts | Sequence[Series] = ...,
            loads: Texts | Sequence[Series] = ...,
            evictions: Texts | Sequence[Series] = ...,
            entries: Texts | Sequence[Series] = ...,
            bytes: Texts | Sequence[Series] = ...,  # noqa: A002
        ) -> None: ...

    reads: _Counter = ()
    """All reads; where there is none, hits and misses together."""
    hits: _Counter = ()
    """Reads that the cache answered."""
    misses: _Counter = ()
    """Reads that it did not answer."""
    loads: _Counter = ()
    """Origin calls."""
    evictions: _Counter = ()
    """Entries that made way for others."""
    entries: _Counter = ()
    """How many entries are held now."""
    bytes: _Counter = ()
    """How many bytes they take now."""
