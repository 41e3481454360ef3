"""Every candidate by memory and hits, and the front of those that no other beats."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from matplotlib.ticker import PercentFormatter

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.pick import Pick
from vestigo.choosing.sweep import Sweep
from vestigo.errors import RulesError
from vestigo.measures import MEASURES
from vestigo.rules.plan_parts import ALWAYS_FRESH, KEEP_ALL
from vestigo.show import style
from vestigo.show.figures.byte_axis import byte_axis
from vestigo.show.figures.canvas import NAME, check_drawn, on_axis
from vestigo.show.safe import printable
from vestigo.units import format_share

if TYPE_CHECKING:
    from matplotlib.axes import Axes


class Staleness(NamedTuple):
    """Candidates whose share of stale reads lies above one bound and not above another."""

    label: str
    above: float
    up_to: float
    mark: str
    colour: str


STALENESS = (
    Staleness("at most 0.1 % stale", -1, 0.001, "o", style.ACCENT),
    Staleness("at most 1 % stale", 0.001, 0.01, "s", style.SECOND),
    Staleness("more than 1 % stale", 0.01, 1, "^", style.WARNING),
)
UNKNOWN = Staleness("how many are stale is not known", -1, 1, "o", style.ACCENT)


def classes(found: Sweep) -> Sequence[Staleness]:
    """The classes of staleness that the trace can tell apart."""
    return STALENESS if found.stale_known else (UNKNOWN,)


def hits_shown(found: Sweep) -> tuple[str, float | None]:
    """The measure of hits that the trace can tell, and its ceiling, if that is known."""
    measure, ceiling = ("fresh_hit_rate", ALWAYS_FRESH) if found.stale_known else ("hit_rate", KEEP_ALL)
    return measure, found.references[ceiling].measure(measure) if ceiling in found.references else None


def front(found: Sweep, pick: Pick | None = None, ax: "Axes | None" = None) -> "Axes":
    """Every candidate by memory and fresh hits. Colour and mark show its stale reads. A line joins the candidates that
    no other beats. Today's settings, the pick and the ceiling are named.
    """
    check_drawn("found", found, Sweep)
    if pick is not None:
        check_drawn("pick", pick, Pick)
        if found.get(pick.candidate.name) != pick.candidate:
            raise RulesError("pick: was chosen among other candidates; give that sweep, or the pick of this one")
    return on_axis(ax, lambda drawn: _draw_front(drawn, found, pick))


def _draw_front(axis: "Axes", found: Sweep, pick: Pick | None) -> None:
    each = list(found.values())
    of_hits, top = hits_shown(found)

    def place(one: Candidate) -> tuple[float, float]:
        return one.measure("memory_peak"), one.measure(of_hits)

    memory = np.array([one.measure("memory_peak") for one in each])
    hits = np.array([one.measure(of_hits) for one in each])
    stale = np.array([one.measure("stale_rate") for one in each])
    for one in classes(found):
        chosen = (stale > one.above) & (stale <= one.up_to)
        if chosen.any():
            look: Any = {"c": one.colour, "marker": one.mark, "label": one.label}
            axis.scatter(memory[chosen], hits[chosen], s=26, alpha=0.65, linewidths=0, **look)
    unbeaten = sorted(found.front((of_hits, "memory_peak")), key=lambda one: one.measure("memory_peak"))
    axis.step(*zip(*map(place, unbeaten), strict=True), where="post", color=style.QUIET, linewidth=1, zorder=0)
    if top is not None:
        axis.axhline(top, color=style.QUIET, linestyle=":", linewidth=1.2)
        axis.annotate(
            f"upper bound for any settings: {format_share(top)}",
            (0.01, top),
            xycoords=("axes fraction", "data"),
            xytext=(0, 3),
            textcoords="offset points",
            color=style.QUIET,
        )
    _name(axis, place(found.today), "today", style.INK, "D")
    if pick is not None and pick.candidate.name != found.today.name:
        _name(axis, place(pick.candidate), called(pick.candidate), style.ACCENT, "*")
    axis.set_xscale("log")
    axis.margins(x=0.12)
    axis.set_ylim(0, min(1.0, max(float(hits.max(initial=0)), 0.8) * 1.2))
    byte_axis(axis, base=2)
    axis.yaxis.set_major_formatter(PercentFormatter(1, decimals=0))
    axis.set_xlabel("memory peak")
    axis.set_ylabel(f"{MEASURES[of_hits].label}, share of reads")
    axis.set_title(f"{len(found):,} candidates")
    axis.legend(loc="lower right", frameon=False, fontsize=9)


def called(candidate: Candidate) -> str:
    """The name of a candidate. One that lists every change is too long for a figure."""
    return f"the pick: {printable(candidate.name)}" if len(candidate.name) <= NAME else "the pick"


def _name(axis: "Axes", at: tuple[float, float], text: str, colour: str, mark: str) -> None:
    """Names a point, with the mark that it has in every figure."""
    axis.plot(*at, mark, color=colour, markersize=13 if mark == "*" else 8, markeredgecolor=style.GROUND, zorder=5)
    right = at[0] > np.median([*axis.get_xlim()])
    axis.annotate(
        text,
        at,
        xytext=(-8 if right else 8, 9),
        textcoords="offset points",
        ha="right" if right else "left",
        color=colour,
        fontweight="bold",
        zorder=6,
        bbox={"facecolor": style.GROUND, "edgecolor": "none", "pad": 0.5, "alpha": 0.8},
    )
