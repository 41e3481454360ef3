"""Circumstances that are to differ from the trace: ``[whatif]`` in a plan."""

from collections.abc import Iterator
from fractions import Fraction
from typing import TYPE_CHECKING, Annotated, Literal, SupportsIndex

from pydantic import BeforeValidator

from vestigo.rules import values
from vestigo.rules.checked import Checked
from vestigo.rules.moments import Moments, read_zone
from vestigo.rules.values import Texts

_MOST_TIMES = 1000

Spread = Literal["in turn", "by scope", "by key"]


class Times(Fraction):
    """A factor: how many times as much.

    >>> str(Times.read(2)), str(Times.read("0.5"))
    ('2', '0.5')
    """

    @classmethod
    def read(cls, value: object) -> "Times":
        """Reads a number, or text such as ``"2.5"``. Raises ValueError."""
        try:
            times = None if isinstance(value, bool) else cls(str(value))
        except (ValueError, ZeroDivisionError, OverflowError):
            times = None
        if times is None or not 0 <= times <= _MOST_TIMES:
            raise ValueError(
                f"{value!r} is not a number of times from 0 to {_MOST_TIMES:,}; write, for example, 2 or 0.5"
            )
        return times

    @classmethod
    def read_more(cls, value: object) -> "Times":
        """The same, for what cannot become less."""
        times = cls.read(value)
        if times < 1:
            raise ValueError(
                f"{value!r} is less than the trace has; sample the trace instead (vestigo convert --sample)"
            )
        return times

    def __str__(self) -> str:
        return f"{float(self):.12g}"


class WhatIf(Checked):
    """Circumstances that are to differ from the trace when a plan is replayed.

    >>> WhatIf(nodes=4, traffic=2)
    WhatIf(nodes=4, traffic='2')
    """

    if TYPE_CHECKING:

        def __init__(  # noqa: PLR0913  # a rule each
            self,
            *,
            nodes: SupportsIndex | None = ...,
            spread: Spread = ...,
            traffic: str | float | Fraction = ...,
            changes: str | float | Fraction = ...,
            origin: str | float | Fraction = ...,
            restart_at: Texts | Moments | None = ...,
            zone: str | None = ...,
        ) -> None: ...

    nodes: Annotated[int | None, BeforeValidator(values.nodes)] = None
    """How many nodes answer the reads, each with its own cache; as recorded unless stated."""
    spread: Spread = "in turn"
    """Which node an event comes to: one after the other, always the same for a scope, or always the same for a key."""
    traffic: Annotated[Times, BeforeValidator(Times.read_more)] = Times(1)
    """How many times as many reads there are in the same time."""
    changes: Annotated[Times, BeforeValidator(Times.read)] = Times(1)
    """How many times as often values change."""
    origin: Annotated[Times, BeforeValidator(Times.read)] = Times(1)
    """How many times as long the origin takes."""
    restart_at: Annotated[Moments | None, BeforeValidator(Moments.read)] = None
    """When everything restarts: times of day in `zone`, or single instants."""
    zone: Annotated[str | None, BeforeValidator(read_zone)] = None
    """The time zone of times of day."""

    def contradictions(self) -> Iterator[str]:
        if self.restart_at and self.restart_at.times and self.zone is None:
            yield 'restart_at needs zone for times of day; write zone = "UTC" or the zone of these times'
        if self.spread != "in turn" and self.nodes is None:
            yield f'spread = "{self.spread}" needs nodes; state how many there are, or leave spread out'

    def __bool__(self) -> bool:
        return bool(self.to_dict())
