"""What each change of a found pick is worth."""

from typing import TYPE_CHECKING

from vestigo.choosing.pick import Pick
from vestigo.errors import RulesError
from vestigo.show import style
from vestigo.show.figures.canvas import NAME, check_drawn, on_axis, width_inches
from vestigo.show.pick import rules_changed, without_text
from vestigo.show.safe import printable

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_MOST = 14


def worth(pick: Pick, ax: "Axes | None" = None) -> "Axes":
    """What the aim loses if one change of what a search found is left out, the most useful change first. A change
    without which a limit is broken is drawn in grey, because the aim alone does not tell what it is worth.

    Raises RulesError for a pick that no search found.
    """
    check_drawn("pick", pick, Pick)
    if pick.proof is None:
        raise RulesError("pick: no search found it, so nothing is known of its changes; give the pick of a search")
    return on_axis(ax, lambda drawn: _draw_worth(drawn, pick))


def _draw_worth(axis: "Axes", pick: Pick) -> None:
    assert pick.proof is not None
    whole = pick.value(pick.candidate)
    each = sorted(pick.proof.worth, key=lambda one: abs(whole - one.without))[-_MOST:]
    losses = [abs(whole - one.without) for one in each]
    heights = range(len(each))
    colours = [style.ACCENT if one.keeps_limits else style.QUIET for one in each]
    axis.barh(heights, losses, color=colours)
    for height, one, loss in zip(heights, each, losses, strict=True):
        place = {"xytext": (5, 0), "textcoords": "offset points", "va": "center"}
        axis.annotate(without_text(pick, one), (loss, height), **place)  # type: ignore[arg-type]
    axis.set_yticks(heights, [printable(rules_changed(one.now), NAME) for one in each])
    wide = 1 + 2.6 / max(width_inches(axis), 2.6)  # room for the text beside the longest bar
    axis.set_xlim(0, max(losses, default=1.0) * wide or 1.0)
    axis.set_xticks([])
    axis.grid(visible=False)
    axis.set_title(f"{pick.goal.capitalize()} without each change ({pick.amount_text(whole)} with all)")
