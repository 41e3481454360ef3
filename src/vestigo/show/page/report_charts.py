"""The charts of a report: the front, the hit rate at every size, and today beside the pick over time."""

from collections.abc import Mapping, Sequence

import numpy as np

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.pick import Pick
from vestigo.choosing.sweep import Sweep
from vestigo.engine.size_curve import SizeCurve
from vestigo.measures import MEASURES, is_told
from vestigo.outcome import Outcome
from vestigo.show.charts.candidates import front_chart
from vestigo.show.charts.every_size import LIMIT, sizes_chart, thinned
from vestigo.show.charts.over_time import CHARTS, OF_THE_ORIGIN, Memory, course, moments
from vestigo.show.charts.records import PICK, TODAY, Chart, Kind, Place, legend
from vestigo.show.page.charts import Axis, Drawing, Series, chart, label, level, lines, points, sizes_on

_MOST_POINTS = 1500
"""Of a line."""
_LETTERS = 110
"""That fit beside each other in the width of a chart."""
_SIZES = {"star": 20, "diamond": 15}
"""Of marks with a name."""


def drawn_front(candidates: Sweep, pick: Pick, shown: list[Candidate]) -> tuple[Drawing, list[Kind]]:
    """Candidates by memory and hits, each with its number among those that are `shown`, and the legend of their
    marks.
    """
    from bokeh.models import HoverTool, Range1d, TapTool

    front = front_chart(candidates, pick, shown)
    made = chart("front", Axis(front.x_label, "size"), Axis(front.y_label, "share"))
    drawn = [points(made, one.name, _places(one.at, one.numbers), look=one.look) for one in front.marks if one.at]
    lines(made, [Series(one.name, one.role, one.x, one.y) for one in front.lines], steps=True)
    for one in front.named:
        places = _places([one.at], [one.number])
        drawn.append(points(made, one.text, places, look=one.look, size=_SIZES[one.look.mark]))
        label(made, one.at, one.text, one.look.role)
    least, most = front.x_range
    made.x_range = Range1d(start=least / 1.15, end=most * 1.3)
    sizes_on(made.xaxis[0], made.x_range.start, made.x_range.end)
    made.y_range = Range1d(start=0, end=min(front.top * 1.15 + 0.05, 1.05))
    if front.level is not None:
        made.y_range.end = max(made.y_range.end, front.level.at + 0.05)
        level(made, front.level.at)
    made.add_tools(HoverTool(tooltips=None, renderers=drawn), TapTool(renderers=drawn))
    return made, legend(front)


def _places(at: Sequence[Place], numbers: Sequence[int]) -> dict[str, Drawing]:
    return {"x": [x for x, _ in at], "y": [y for _, y in at], "number": list(numbers)}


def drawn_sizes(curves: Sequence[SizeCurve]) -> tuple[Drawing, list[Kind]]:
    """The hit rate at every size in memory, by look-up, and the legend of the lines."""
    from bokeh.models import HoverTool, Range1d

    sizes: Chart = sizes_chart(curves)
    made = chart("sizes", Axis(sizes.x_label, "size"), Axis(sizes.y_label, "share"))
    for line in sizes.lines:
        few = thinned(line, _MOST_POINTS)
        lines(made, [Series(line.name, line.role, few.x, few.y)], steps=True)
        said = [(line.name, "@y{0.0 %}"), ("memory", "@x{0.0 ib}")]
        made.add_tools(HoverTool(renderers=[made.renderers[-1]], tooltips=said, line_policy="nearest"))
    for one in sizes.marks:
        name = f"{one.name}, {'today' if one.look.mark == LIMIT else 'enough'}"
        points(made, name, {"x": [one.at[0][0]], "y": [one.at[0][1]]}, look=one.look, size=13)
    least, most = sizes.x_range
    made.x_range = Range1d(start=least, end=most * 1.3)
    sizes_on(made.xaxis[0], least, most)
    made.y_range = Range1d(start=0, end=1.02)
    return made, [Kind(line.name, "line", line.role) for line in sizes.lines]


def drawn_over_time(today: Outcome, picked: Outcome | None) -> dict[str, Drawing]:
    """Charts by name: the hit rate, stale hits, origin calls and memory in each slice of time. Where an origin is
    stated, also failed reads and the calls that wait.
    """
    told = {name: of for name, of in (CHARTS | OF_THE_ORIGIN).items() if is_told(of, today)}
    made = {name: _drawn_course(name, of, today, picked) for name, of in told.items()}
    _mark(made, today)
    return made


def _drawn_course(name: str, measure: str, today: Outcome, picked: Outcome | None) -> Drawing:
    from bokeh.models import HoverTool

    what, memory = MEASURES[measure], Memory.of(today)
    is_memory = what.kind == "size"
    axis = Axis(f"{what.label}, {memory.unit}", "number") if is_memory else Axis(what.label, what.kind)
    form = {"share": "{0.0 %}", "count": "{0,0}", "number": "{0,0.0}"}[axis.kind]
    made = chart(name, Axis("time (UTC)", "time"), axis, height=190)
    for called, look, outcome in (("today", TODAY, today), ("the pick", PICK, picked)):
        if outcome is None or not len(outcome.slices):
            continue
        edges, amounts = course(outcome.slices, measure)
        heights = amounts / memory.bytes if is_memory else amounts
        lines(made, [Series(called, look.role, edges / 1e6, np.append(heights, heights[-1]))], steps=True)
        said = [(called, f"@y{form}"), ("at", "@x{%F %H:%M}")]
        hover = HoverTool(renderers=[made.renderers[-1]], mode="vline", tooltips=said, formatters={"@x": "datetime"})
        made.add_tools(hover)
    made.y_range.start = 0
    return made


def _mark(charts: Mapping[str, Drawing], outcome: Outcome) -> None:
    """Marks restarts and clears, and names them on the first chart."""
    for moment in moments(outcome, _LETTERS):
        for drawn in charts.values():
            level(drawn, moment.at_ns / 1e6, is_upright=True)
        if moment.text:
            label(charts["hits"], (moment.at_ns / 1e6, 0), moment.text, "quiet")
