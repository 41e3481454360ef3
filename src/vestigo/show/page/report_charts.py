"""The charts of a report: the front, the hit rate at every size, and today beside the pick over time."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.pick import Pick
from vestigo.choosing.sweep import Sweep
from vestigo.engine.size_curve import SizeCurve
from vestigo.measures import MEASURES, Measure
from vestigo.outcome import Outcome, Slice, Slices
from vestigo.show.figures.front import classes, hits_shown
from vestigo.show.page.charts import Axis, Series, chart, label, lines, points, sizes_on
from vestigo.show.safe import printable
from vestigo.show.style import ROLES, SERIES
from vestigo.units import SIZES, best_unit, format_share

_MARKERS = {"o": "circle", "s": "square", "^": "triangle"}
"""The marks of figures, as charts and style sheets name them."""
_MOST_MARKS = 100


def front_chart(found: Sweep, pick: Pick, shown: list[Candidate]) -> Any:
    """Candidates by memory and hits, each with its number among those that are `shown`."""
    from bokeh.models import HoverTool, Range1d, TapTool
    from bokeh.models.annotations import Span

    of_hits, top = hits_shown(found)
    made = chart("front", Axis("memory peak", "size"), Axis(f"{MEASURES[of_hits].label}, share of reads", "share"))

    def place(each: list[tuple[int, Candidate]]) -> dict[str, Any]:
        return {
            "x": [one.measure("memory_peak") for _, one in each],
            "y": [one.measure(of_hits) for _, one in each],
            "number": [number for number, _ in each],
        }

    marked = {found.today.name: ("diamond", "ink"), pick.candidate.name: ("star", "accent")}
    others = [(number, one) for number, one in enumerate(shown) if one.name not in marked]
    drawn = []
    for of in classes(found):
        own = [one for one in others if of.above < one[1].measure("stale_rate") <= of.up_to]
        if own:
            drawn.append(points(made, of.label, place(own), role=ROLES[of.colour], marker=_MARKERS[of.mark]))
    unbeaten = sorted(found.front((of_hits, "memory_peak")), key=lambda one: one.measure("memory_peak"))
    way = place(list(enumerate(unbeaten)))
    lines(made, [Series("the front", "quiet", way["x"], way["y"])], steps=True)
    for number, one in enumerate(shown):
        if one.name in marked:
            marker, role = marked[one.name]
            at = place([(number, one)])
            drawn.append(points(made, one.name, at, role=role, marker=marker, size=20 if marker == "star" else 15))
            label(made, (at["x"][0], at["y"][0]), "today" if one.name == found.today.name else "the pick", role)
    memory, hits = (np.array([one.measure(name) for one in shown]) for name in ("memory_peak", of_hits))
    made.x_range = Range1d(start=max(memory.min(), 1) / 1.15, end=max(memory.max(), 2) * 1.3)
    sizes_on(made.xaxis[0], made.x_range.start, made.x_range.end)
    made.y_range = Range1d(start=0, end=min(hits.max() * 1.15 + 0.05, 1.05))
    if top is not None:
        made.y_range.end = max(made.y_range.end, top + 0.05)
        ceiling = Span(location=top, dimension="width", line_dash=[2, 4])
        ceiling.tags = [{"line_color": "quiet"}]
        made.add_layout(ceiling)
    made.add_tools(HoverTool(tooltips=None, renderers=drawn), TapTool(renderers=drawn))
    return made


def front_legend(found: Sweep) -> list[tuple[str, str, str]]:
    """The marks of the front, each with its name, shape and role."""
    return [(one.label, _MARKERS[one.mark], ROLES[one.colour]) for one in classes(found)]


def sizes_chart(curves: tuple[SizeCurve, ...]) -> Any:
    """The hit rate at every size in memory, by look-up."""
    from bokeh.models import HoverTool, Range1d

    made = chart("sizes", Axis("memory, overhead included", "size"), Axis("hits, share of reads", "share"))
    most = max((int(curve.exact_bytes[0][-1]) for curve in curves if len(curve.bytes)), default=1)
    least = most
    for number, curve in enumerate(curves):
        if not len(curve.bytes) or not curve.reads:
            continue
        sizes, hits = curve.exact_bytes
        least = min(least, int(sizes[0]))
        role = ROLES[SERIES[number % len(SERIES)]]
        x, y = _thinned(np.array([*sizes, most]), np.array([*hits, hits[-1]]) / curve.reads)
        name = printable(curve.name, 30)
        lines(made, [Series(name, role, x, y)], steps=True)
        drawn = made.renderers[-1]
        made.add_tools(
            HoverTool(
                renderers=[drawn], tooltips=[(name, "@y{0.0 %}"), ("memory", "@x{0.0 ib}")], line_policy="nearest"
            )
        )
        if (today := curve.limit_bytes) is not None and today >= curve.exact_from:
            limit = {"x": [today], "y": [curve.hit_rate(max_bytes=today)]}
            points(made, f"{name}, today's limit", limit, role=role, marker="diamond", size=13)
    made.x_range = Range1d(start=max(least, 1), end=max(most * 1.3, 2))
    sizes_on(made.xaxis[0], least, most)
    made.y_range = Range1d(start=0, end=1.02)
    return made


def sizes_legend(curves: tuple[SizeCurve, ...]) -> list[tuple[str, str, str]]:
    """The look-ups' names, and the roles of their lines."""
    return [
        (printable(curve.name, 30), "line", ROLES[SERIES[number % len(SERIES)]]) for number, curve in enumerate(curves)
    ]


def over_time(today: Outcome, picked: Outcome | None) -> dict[str, Any]:
    """Charts by name: the hit rate, stale hits, origin calls and memory in each slice of time."""
    scale, unit = best_unit(today.memory_peak, SIZES)
    amounts: dict[str, tuple[str, Callable[[Slice], float]]] = {
        "hits": ("hit_rate", lambda one: one.hit_rate),
        "stale": ("stale_rate", lambda one: one.stale_rate),
        "calls": ("loads", lambda one: one.loads),
        "memory": ("memory_peak", lambda one: one.memory_peak / scale),
    }
    if not today.stale_known:
        del amounts["stale"]
    each = [("today", "ink", today), ("the pick", "accent", picked)]
    made = {}
    for name, (of, amount) in amounts.items():
        drawn = [(called, role, outcome.slices, amount) for called, role, outcome in each if outcome is not None]
        made[name] = _time_chart(name, _axis(MEASURES[of], unit), drawn)
    _mark(made, today)
    return made


def _mark(charts: Mapping[str, Any], outcome: Outcome) -> None:
    """Marks restarts and clears, and names them on the first chart."""
    from bokeh.models.annotations import Span

    if not outcome.slices:
        return
    begins, ends = outcome.slices[0].begins_ns, outcome.slices[-1].ends_ns
    free_from = begins
    for mark in [one for one in outcome.marks if one.at_ns >= begins][:_MOST_MARKS]:
        for drawn in charts.values():
            span = Span(location=mark.at_ns / 1e6, dimension="height", line_dash=[4, 3])
            span.tags = [{"line_color": "quiet"}]
            drawn.add_layout(span)
        if mark.at_ns >= free_from:
            label(charts["hits"], (mark.at_ns / 1e6, 0), printable(mark.what, 24), "quiet")
            free_from = mark.at_ns + (ends - begins) // 8


_Drawn = tuple[str, str, Slices, Callable[[Slice], float]]
"""What a line is called, its role, and what of which slices it shows."""


def _axis(what: Measure, unit: str) -> Axis:
    return Axis(f"{what.label}, {unit}", "number") if what.kind == "size" else Axis(what.label, what.kind)


def _time_chart(name: str, axis: Axis, each: Sequence[_Drawn]) -> Any:
    from bokeh.models import HoverTool

    form = {"share": "{0.0 %}", "count": "{0,0}", "number": "{0,0.0}"}[axis.kind]
    made = chart(name, Axis("time (UTC)", "time"), axis, height=190)
    for called, role, slices, amount in each:
        if not len(slices):
            continue
        x = np.array([*slices.column("begins_ns"), slices.column("ends_ns")[-1]]) / 1e6
        y = [amount(one) if one.reads or axis.kind != "share" else np.nan for one in slices]
        lines(made, [Series(called, role, x, [*y, y[-1]])], steps=True)
        said = [(called, f"@y{form}"), ("at", "@x{%F %H:%M}")]
        hover = HoverTool(renderers=[made.renderers[-1]], mode="vline", tooltips=said, formatters={"@x": "datetime"})
        made.add_tools(hover)
    made.y_range.start = 0
    return made


def _thinned(x: np.ndarray, y: np.ndarray, most: int = 1500) -> tuple[np.ndarray, np.ndarray]:
    """Fewer points, so that a page stays small. Points that lie close together on the logarithmic scale are
    left out.
    """
    if len(x) <= most:
        return x, y
    places = np.unique(np.searchsorted(np.log(x), np.linspace(np.log(x[0]), np.log(x[-1]), most)).clip(0, len(x) - 1))
    return x[places], y[places]


def ceiling_text(found: Sweep) -> str:
    """What the dotted line of the front means."""
    of_hits, top = hits_shown(found)
    if top is None:
        return ""
    return f"No settings can give more than {format_share(top)} {MEASURES[of_hits].label} here (the dotted line)."
