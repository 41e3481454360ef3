"""The hit rate at every size."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.ticker import PercentFormatter

from vestigo.arguments import several
from vestigo.engine.size_curve import SizeCurve
from vestigo.errors import RulesError
from vestigo.show import style
from vestigo.show.charts.every_size import LIMIT, enough_text, sizes_chart
from vestigo.show.figures.canvas import check_drawn, on_axis
from vestigo.show.figures.labels import byte_axis

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def size_curves(curves: SizeCurve | Sequence[SizeCurve], ax: "Axes | None" = None) -> "Axes":
    """The hit rate at every size in memory, with marks at the smallest size that is enough and at today's limit. One
    curve can be drawn, or several.
    """
    drawn_curves = [curves] if isinstance(curves, SizeCurve) else several("curves", curves, "[curve, other]")
    if not drawn_curves:
        raise RulesError("curves: none is given, so there is nothing to draw; give those of vestigo.size_curve")
    for one in drawn_curves:
        check_drawn("curves", one, SizeCurve)
    return on_axis(ax, lambda drawn: _draw_curves(drawn, drawn_curves))


def _draw_curves(axis: "Axes", curves: Sequence[SizeCurve]) -> None:
    chart = sizes_chart(curves)
    for line in chart.lines:
        axis.step(line.x, line.y, where="post", color=style.colour(line.role))
    for one in chart.marks:
        edge: style.Drawn = {"markeredgecolor": style.INK} if one.look.mark == LIMIT else {}
        mark, colour = style.MARKS[one.look.mark], style.colour(one.look.role)
        axis.plot(*one.at[0], mark, color=colour, markersize=7, **edge)
    axis.set_xscale("log")
    axis.set_xlim(chart.x_range[0], chart.x_range[1] * 1.6)
    axis.set_ylim(0, 1.02)
    heights = _apart([min(float(line.y[-1]), 0.97) for line in chart.lines], 0.055)
    for line, height in zip(chart.lines, heights, strict=True):
        axis.annotate(
            line.name,
            (1.01, height),
            xycoords="axes fraction",
            color=style.colour(line.role),
            fontweight="bold",
            va="center",
            annotation_clip=False,
        )
    byte_axis(axis)
    axis.yaxis.set_major_formatter(PercentFormatter(1, decimals=0))
    axis.set_xlabel(chart.x_label)
    axis.set_ylabel(chart.y_label)
    whose = f", {curves[0].whose}" if curves and curves[0].whose else ""
    axis.set_title(f"LRU at every size, nothing expires{whose}")
    axis.annotate(
        f"● {enough_text(curves)}\n◆ today's limit",
        (0.98, 0.03),
        xycoords="axes fraction",
        ha="right",
        color=style.QUIET,
    )


def _apart(heights: Sequence[float], gap: float) -> list[float]:
    """The heights of labels, moved as little as needed to lie a distance apart, and none above 1."""
    order = np.argsort(heights)[::-1]
    placed, above = dict[int, float](), 1.0 + gap
    for place in order:
        above = min(heights[place], above - gap)
        placed[int(place)] = above
    return [placed[place] for place in range(len(heights))]
