"""The hit rate at every size, by look-up."""

from collections.abc import Sequence

import numpy as np

from vestigo.engine.size_curve import SizeCurve
from vestigo.show.charts.records import Chart, Line, Look, Marks
from vestigo.show.safe import printable
from vestigo.show.style import ROLES, SERIES
from vestigo.units import format_share

_NAME = 30
"""Letters of a name."""
ENOUGH, LIMIT = "circle", "diamond"
"""The marks of the smallest size that is enough, and of today's limit."""


def sizes_chart(curves: Sequence[SizeCurve]) -> Chart:
    """A line for each look-up that is read, with marks where room is enough and at today's limit."""
    drawn = [(curve, ROLES[SERIES[place % len(SERIES)]]) for place, curve in enumerate(curves)]
    drawn = [(curve, role) for curve, role in drawn if len(curve.bytes) and curve.reads]
    most = max((int(curve.exact_bytes[0][-1]) for curve, _ in drawn), default=1)
    least = min((int(curve.exact_bytes[0][0]) for curve, _ in drawn), default=1)
    lines, marks = [], []
    for curve, role in drawn:
        name, (sizes, hits) = printable(curve.name, _NAME), curve.exact_bytes
        x, y = np.array([*sizes, most]), np.array([*hits, hits[-1]]) / curve.reads
        lines.append(Line(name, role, x, y))
        at = {ENOUGH: curve.enough_bytes, LIMIT: curve.limit_bytes}
        for mark, size in at.items():
            if size is not None and size >= curve.exact_from:
                marks.append(Marks(name, Look(role, mark), [(size, curve.hit_rate(max_bytes=size))], []))
    return Chart(
        tuple(lines),
        tuple(marks),
        x_label="memory, overhead included; each line begins where the largest value fits",
        y_label="hits, share of reads",
        x_range=(max(least, 1), max(most, 2)),
    )


def enough_text(curves: Sequence[SizeCurve]) -> str:
    """What the mark of enough room means."""
    return f"{format_share(curves[0].enough_share)} of what no limit gives" if curves else ""


def thinned(line: Line, most: int) -> Line:
    """A line with fewer points, so that a page stays small. Points that lie close together on the logarithmic scale are
    left out.
    """
    if len(line.x) <= most:
        return line
    scale = np.linspace(np.log(line.x[0]), np.log(line.x[-1]), most)
    places = np.unique(np.searchsorted(np.log(line.x), scale).clip(0, len(line.x) - 1))
    return line._replace(x=line.x[places], y=line.y[places])
