"""Labels beside the lines that they name, and the ticks of an axis of sizes."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from matplotlib.ticker import FuncFormatter, Locator

from vestigo.show import style
from vestigo.show.charts.ticks import round_sizes, size_label
from vestigo.show.figures.canvas import width_inches

if TYPE_CHECKING:
    from matplotlib.axes import Axes


_LETTER, _HEIGHT = 7.0, 13.0  # points
_HEIGHTS = np.array(sorted(np.arange(0.12, 0.95, 0.03), key=lambda height: abs(height - 0.55)))  # the middle first
_SIDES = (1, -1)
_INCHES_A_SIZE = 0.7


class Line(NamedTuple):
    """A line that rises from left to right."""

    name: str
    colour: str
    x: np.ndarray
    y: np.ndarray


def label_lines(axis: "Axes", lines: Sequence[Line]) -> None:
    """Writes each name to the right or left of its line, at the height where the next line is farthest away."""
    figure = axis.get_figure(root=True)
    if figure is None:
        return
    to_points = 72 / figure.dpi
    taken: list[tuple[float, float]] = []
    crossings = np.array([_crossings(axis, line) for line in lines]) * to_points
    rows = axis.transData.transform([(axis.get_xlim()[0], height) for height in _HEIGHTS])[:, 1] * to_points
    for number, line in enumerate(lines):
        width = _LETTER * len(line.name)
        here, others = crossings[number], np.delete(crossings, number, axis=0)
        room = np.array([_room(here, others, side, width) for side in _SIDES])
        for side, ends in zip(_SIDES, room, strict=True):
            left = here if side > 0 else here - width
            for taken_left, row in taken:
                covers = (np.abs(left - taken_left) < 1.2 * width) & (np.abs(rows - row) < _HEIGHT)
                ends[covers] = -1
        chosen, best = divmod(int(np.argmax(room)), len(_HEIGHTS))
        right = _SIDES[chosen] > 0
        taken.append((here[best] - (0 if right else width), rows[best]))
        axis.annotate(
            line.name,
            (float(np.interp(_HEIGHTS[best], line.y, line.x)), float(_HEIGHTS[best])),
            xytext=(5 if right else -5, -5),
            textcoords="offset points",
            ha="left" if right else "right",
            color=line.colour,
            fontweight="bold",
            bbox={"facecolor": style.GROUND, "edgecolor": "none", "pad": 0.5, "alpha": 0.75},
        )


def _room(here: np.ndarray, others: np.ndarray, side: int, width: float) -> np.ndarray:
    """How far away the next line is on one side, at each height. Distances beyond what is enough count the same."""
    away = (others - here) * side
    room: np.ndarray = np.min(np.where(away > 0, away, np.inf), axis=0, initial=1.5 * width)
    return room


def _crossings(axis: "Axes", line: Line) -> np.ndarray:
    """Where the line reaches each height, on the screen."""
    x = np.interp(_HEIGHTS, line.y, np.log(line.x))
    crossings: np.ndarray = axis.transData.transform(np.column_stack([np.exp(x), _HEIGHTS]))[:, 0]
    return crossings


class _Sizes(Locator):
    """Round sizes, as many as fit beside each other."""

    def __init__(self, drawn: "Axes") -> None:
        self._drawn = drawn

    def __call__(self) -> list[float]:
        return self.tick_values(*self._drawn.get_xlim())

    def tick_values(self, vmin: float, vmax: float) -> list[float]:
        there = [size for size in round_sizes(vmin, vmax) if vmin <= size <= vmax]
        most = max(3, int(width_inches(self._drawn) / _INCHES_A_SIZE))
        return there[:: -(-len(there) // most) or 1]


def byte_axis(axis: "Axes") -> None:
    """Marks a horizontal axis at round sizes."""
    axis.xaxis.set_major_locator(_Sizes(axis))
    axis.xaxis.set_major_formatter(FuncFormatter(lambda size, _: size_label(size)))
    axis.minorticks_off()
