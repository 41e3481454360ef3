"""The parts of a chart."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

Place = tuple[float, float]


class Look(NamedTuple):
    """How a mark or a line looks."""

    role: str
    """Of its colour (see `vestigo.show.style`)."""
    mark: str = "line"
    """``circle``, ``square``, ``triangle``, ``diamond``, ``star`` or ``line``."""


TODAY, PICK = Look("ink", "diamond"), Look("accent", "star")
"""How today's settings and the pick look in every chart."""


class Marks(NamedTuple):
    """Marks of one kind."""

    name: str
    look: Look
    at: Sequence[Place]
    numbers: Sequence[int]
    """Which of all that is shown each mark stands for."""


class Named(NamedTuple):
    """A mark with its name beside it."""

    text: str
    look: Look
    at: Place
    number: int


class Line(NamedTuple):
    """A line that keeps the height of each point until the next one."""

    name: str
    role: str
    x: np.ndarray
    y: np.ndarray


class Level(NamedTuple):
    """A height that nothing passes."""

    at: float
    text: str


class Chart(NamedTuple):
    lines: tuple[Line, ...] = ()
    marks: tuple[Marks, ...] = ()
    named: tuple[Named, ...] = ()
    level: Level | None = None
    x_label: str = ""
    y_label: str = ""
    x_range: tuple[float, float] = (1, 2)

    @property
    def top(self) -> float:
        """The highest of all that is drawn."""
        marks = [y for one in self.marks for _, y in one.at] + [one.at[1] for one in self.named]
        lines = [float(one.y.max()) for one in self.lines if len(one.y)]
        return max([*marks, *lines, 0.0])


class Kind(NamedTuple):
    """A line of a legend."""

    text: str
    mark: str
    role: str


def legend(chart: Chart) -> list[Kind]:
    """The kinds of marks, each with its name, shape and role."""
    return [Kind(one.name, one.look.mark, one.look.role) for one in chart.marks]
