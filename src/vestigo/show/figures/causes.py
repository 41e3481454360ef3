"""Why reads were misses."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from matplotlib.ticker import PercentFormatter

from vestigo.outcome import CAUSES, Measures, Outcome
from vestigo.outcome.counts import WORDS
from vestigo.show import style
from vestigo.show.figures.canvas import NAME, check_drawn, on_axis, width_inches
from vestigo.show.safe import printable
from vestigo.units import format_share

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def causes(outcome: Measures, ax: "Axes | None" = None) -> "Axes":
    """Why reads were misses: each cause's share of all reads. This is the most that removing the cause could save. An
    outcome can be drawn, or one look-up of it (``outcome.lookups["vessel"]``).
    """
    check_drawn("outcome", outcome, Measures)
    return on_axis(ax, lambda drawn: _draw_causes(drawn, outcome))


def _draw_causes(axis: "Axes", outcome: Measures) -> None:
    counts = {cause: outcome.misses_by_cause[cause] for cause in CAUSES if outcome.misses_by_cause[cause]}
    shares: Mapping[str, float] = {cause: count / max(outcome.reads, 1) for cause, count in counts.items()}
    names = sorted(shares, key=lambda cause: shares[cause])
    heights = range(len(names))
    axis.barh(
        heights,
        [shares[name] for name in names],
        color=[style.QUIET if name == "first" else style.ACCENT for name in names],
    )
    for height, name in zip(heights, names, strict=True):
        axis.annotate(
            f"{format_share(shares[name])}, {counts[name]:,} reads",
            (shares[name], height),
            xytext=(5, 0),
            textcoords="offset points",
            va="center",
        )
    axis.set_yticks(heights, [WORDS[name].label for name in names])
    wide = 1 + 2.6 / max(width_inches(axis), 2.6)  # room for the text beside the longest bar
    axis.set_xlim(0, max(shares.values(), default=1.0) * wide)
    axis.grid(visible=False)
    axis.xaxis.set_major_formatter(PercentFormatter(1))
    axis.set_xlabel("share of all reads: the most that removing the cause could save")
    of = f": {printable(outcome.name, NAME)}" if isinstance(outcome, Outcome) else ""
    axis.set_title(f"Why reads were misses{of}")
