"""A measure at every pair of values of two rules that vary."""

from typing import TYPE_CHECKING

import matplotlib as mpl
import numpy as np

from vestigo.arguments import text
from vestigo.choosing.sweep import Sweep
from vestigo.errors import RulesError, raise_for_unknown
from vestigo.measures import asked_measure
from vestigo.show import style
from vestigo.show.figures.canvas import check_drawn, on_axis

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def heat(found: Sweep, down: str, across: str, measure: str = "fresh_hit_rate", ax: "Axes | None" = None) -> "Axes":
    """A measure at every pair of values of two rules that vary. If candidates share a pair, it shows the best one.

    Raises UnknownName for a rule that does not vary, or a measure that does not exist.
    """
    check_drawn("found", found, Sweep)
    down, across = text("down", down), text("across", across)
    return on_axis(ax, lambda drawn: _draw_heat(drawn, found, down, across, measure))


def _draw_heat(axis: "Axes", candidates: Sweep, down: str, across: str, name: str) -> None:
    what = asked_measure(name)
    cells: dict[tuple[str, str], float] = {}
    sign = 1 if what.more_is_better else -1
    for candidate in candidates.values():
        if down in candidate.changes and across in candidate.changes:
            pair = (str(candidate.changes[down]), str(candidate.changes[across]))
            cells[pair] = max(cells.get(pair, -np.inf), sign * candidate.measure(name))
    if not cells:
        varied = sorted({key for candidate in candidates.values() for key in candidate.changes})
        for key in (down, across):
            raise_for_unknown("what varies:", key, varied)
        raise RulesError(f"heat: {down} and {across} do not vary together; name two of {', '.join(varied)}")
    rows, columns = (list(dict.fromkeys(pair[side] for pair in cells)) for side in (0, 1))
    table = np.array([[cells.get((row, column), np.nan) for column in columns] for row in rows])
    dark = np.nanmin(table) + 0.6 * (np.nanmax(table) - np.nanmin(table))
    shades = mpl.colors.LinearSegmentedColormap.from_list("quiet", [style.RULE, style.ACCENT])
    axis.imshow(table, cmap=shades, aspect="auto")
    axis.grid(visible=False)
    for (row, column), amount in np.ndenumerate(table):
        if np.isfinite(amount):
            colour = style.GROUND if amount > dark else style.INK
            axis.text(column, row, what.amount_text(float(sign * amount)), ha="center", va="center", color=colour)
    axis.set_xticks(range(len(columns)), columns)
    axis.set_yticks(range(len(rows)), rows)
    axis.set_xlabel(across)
    axis.set_ylabel(down)
    axis.set_title(f"{what.label.capitalize()}, of all candidates with these two the best")
