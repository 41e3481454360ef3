"""Every candidate by memory and hits, and the front of those that no other beats."""

from typing import TYPE_CHECKING

import numpy as np
from matplotlib.ticker import PercentFormatter

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.pick import Pick
from vestigo.choosing.sweep import Sweep
from vestigo.errors import RulesError
from vestigo.show import style
from vestigo.show.charts.candidates import front_chart
from vestigo.show.charts.records import Chart, Named
from vestigo.show.figures.canvas import NAME, check_drawn, on_axis
from vestigo.show.figures.labels import byte_axis
from vestigo.show.safe import printable

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def front(found: Sweep, pick: Pick | None = None, ax: "Axes | None" = None) -> "Axes":
    """Every candidate by memory and fresh hits. Colour and mark show its stale reads. A line joins the candidates that
    no other beats. Today's settings, the pick and the ceiling are named.
    """
    check_drawn("found", found, Sweep)
    if pick is not None:
        check_drawn("pick", pick, Pick)
        if pick.among != found and found.get(pick.candidate.name) != pick.candidate:
            raise RulesError("pick: was chosen among other candidates; give that sweep, or the pick of this one")
    chart = front_chart(found, pick)
    return on_axis(ax, lambda drawn: _draw_front(drawn, chart, f"{len(found):,} candidates", pick))


def _draw_front(axis: "Axes", chart: Chart, title: str, pick: Pick | None) -> None:
    drawn = [one for one in chart.marks if one.at]
    for one in drawn:
        look: style.Drawn = {"color": style.colour(one.look.role), "marker": style.MARKS[one.look.mark]}
        x, y = zip(*one.at, strict=True)
        axis.scatter(x, y, s=26, alpha=0.65, linewidths=0, label=one.name, **look)
    for line in chart.lines:
        axis.step(line.x, line.y, where="post", color=style.colour(line.role), linewidth=1, zorder=0)
    if chart.level is not None:
        axis.axhline(chart.level.at, color=style.QUIET, linestyle=":", linewidth=1.2)
        axis.annotate(
            chart.level.text,
            (0.01, chart.level.at),
            xycoords=("axes fraction", "data"),
            xytext=(0, 3),
            textcoords="offset points",
            color=style.QUIET,
        )
    for named in chart.named:
        _name(axis, named, called(pick.candidate) if pick and named.text != "today" else named.text)
    axis.set_xscale("log")
    axis.margins(x=0.12)
    axis.set_ylim(0, min(1.0, max(chart.top, 0.8) * 1.2))
    byte_axis(axis)
    axis.yaxis.set_major_formatter(PercentFormatter(1, decimals=0))
    axis.set_xlabel(chart.x_label)
    axis.set_ylabel(chart.y_label)
    axis.set_title(title)
    if drawn:
        axis.legend(loc="lower right", frameon=False, fontsize=9)


def called(candidate: Candidate) -> str:
    """The name of a candidate. One that lists every change is too long for a figure."""
    return f"the pick: {printable(candidate.name)}" if len(candidate.name) <= NAME else "the pick"


def _name(axis: "Axes", named: Named, text: str) -> None:
    """Draws a mark with a name beside it."""
    mark, colour = style.MARKS[named.look.mark], style.colour(named.look.role)
    axis.plot(
        *named.at, mark, color=colour, markersize=13 if mark == "*" else 8, markeredgecolor=style.GROUND, zorder=5
    )
    right = named.at[0] > np.median([*axis.get_xlim()])
    axis.annotate(
        text,
        named.at,
        xytext=(-8 if right else 8, 9),
        textcoords="offset points",
        ha="right" if right else "left",
        color=colour,
        fontweight="bold",
        zorder=6,
        bbox={"facecolor": style.GROUND, "edgecolor": "none", "pad": 0.5, "alpha": 0.8},
    )
