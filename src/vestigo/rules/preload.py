"""When a look-up's keys are loaded ahead of reads."""

from collections.abc import Sequence
from dataclasses import dataclass

from vestigo.rules import values
from vestigo.rules.moments import Moments
from vestigo.units import Duration

_START = "start"
LONGEST = "longest"
"""A preload takes as long as the longest load of its look-up."""


@dataclass(frozen=True)
class Preload:
    """At the start and after each restart, at times of day or single instants, or both."""

    at_start: bool
    moments: Moments | None

    @classmethod
    def read(cls, value: object) -> "Preload | None":
        """Reads a text or a list of texts. ``"never"`` means no preload. Raises ValueError.

        >>> Preload.read(["start", "06:00"])
        Preload(at_start=True, moments=Moments(texts=('06:00',), times=(datetime.time(6, 0),), instants=()))
        """
        if isinstance(value, Preload):
            return value
        texts = [value] if isinstance(value, str) or not isinstance(value, Sequence) else list(value)
        others = [text for text in texts if not (isinstance(text, str) and text == _START)]
        at_start = len(others) < len(texts)
        try:
            moments = Moments.read(others[0] if len(others) == 1 else others) if others or not at_start else None
        except ValueError as error:
            raise ValueError(str(error).replace("; write ", f'; write "{_START}" (and after each restart), ')) from None
        return cls(at_start, moments) if at_start or moments else None

    @property
    def texts(self) -> tuple[str, ...]:
        """As they were written."""
        return (*([_START] if self.at_start else []), *(self.moments.texts if self.moments else ()))

    def __str__(self) -> str:
        return ", ".join(self.texts)


def read_cost(value: object) -> Duration | None:
    """A duration, or None for ``"longest"``. Raises ValueError."""
    return None if value is None or (isinstance(value, str) and value == LONGEST) else values.span(value)
