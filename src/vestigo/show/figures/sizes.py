"""The hit rate at every size."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.ticker import PercentFormatter

from vestigo.arguments import several
from vestigo.engine.size_curve import SizeCurve
from vestigo.errors import RulesError
from vestigo.show import style
from vestigo.show.figures.byte_axis import byte_axis
from vestigo.show.figures.canvas import NAME, check_drawn, on_axis
from vestigo.show.safe import printable
from vestigo.units import format_share

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def size_curves(curves: SizeCurve | Sequence[SizeCurve], ax: "Axes | None" = None) -> "Axes":
    """The hit rate at every size in memory, with marks at the smallest size that is enough and at today's limit. One
    curve can be drawn, or several.
    """
    each = [curves] if isinstance(curves, SizeCurve) else several("curves", curves, "[curve, other]")
    if not each:
        raise RulesError("curves: none is given, so there is nothing to draw; give those of vestigo.size_curve")
    for one in each:
        check_drawn("curves", one, SizeCurve)
    return on_axis(ax, lambda drawn: _draw_curves(drawn, each))


def _draw_curves(axis: "Axes", curves: Sequence[SizeCurve]) -> None:
    ends: list[tuple[float, str, str]] = []
    most = max((int(curve.exact_bytes[0][-1]) for curve in curves if len(curve.bytes)), default=1)
    least = min((int(curve.exact_bytes[0][0]) for curve in curves if len(curve.bytes)), default=1)
    for curve, colour in zip(curves, _colours(len(curves)), strict=True):
        if not len(curve.bytes) or not curve.reads:
            continue
        sizes, hits = curve.exact_bytes
        rates = hits / curve.reads
        axis.step([*sizes, most], [*rates, rates[-1]], where="post", color=colour)
        enough = curve.enough_bytes
        axis.plot(enough, curve.hit_rate(max_bytes=enough), "o", color=colour, markersize=7)
        if (today := curve.limit_bytes) is not None and today >= curve.exact_from:
            axis.plot(
                today, curve.hit_rate(max_bytes=today), "D", color=colour, markersize=7, markeredgecolor=style.INK
            )
        ends.append((float(rates[-1]), printable(curve.name, NAME), colour))
    axis.set_xscale("log")
    axis.set_xlim(least, most * 1.6)
    axis.set_ylim(0, 1.02)
    for (_, name, colour), height in zip(ends, _apart([min(end, 0.97) for end, _, _ in ends], 0.055), strict=True):
        axis.annotate(
            name,
            (1.01, height),
            xycoords="axes fraction",
            color=colour,
            fontweight="bold",
            va="center",
            annotation_clip=False,
        )
    byte_axis(axis)
    axis.yaxis.set_major_formatter(PercentFormatter(1, decimals=0))
    axis.set_xlabel("memory, overhead included; each line begins where the largest value fits")
    axis.set_ylabel("hits, share of reads")
    whose = f", {curves[0].whose}" if curves and curves[0].whose else ""
    axis.set_title(f"LRU at every size, nothing expires{whose}")
    share = format_share(curves[0].enough_share) if curves else ""
    axis.annotate(
        f"● {share} of what no limit gives\n◆ today's limit",
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


def _colours(count: int) -> list[str]:
    return [style.SERIES[number % len(style.SERIES)] for number in range(count)]
