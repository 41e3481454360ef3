"""The page with knobs, before any knob is turned."""

from collections.abc import Mapping, Sequence

from markupsafe import Markup

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.explorer import Explorer, Surroundings
from vestigo.measures import MEASURES, amount_of
from vestigo.show.charts.candidates import measure_of_hits
from vestigo.show.charts.records import PICK, TODAY, Look
from vestigo.show.page.charts import (
    Axis,
    Drawing,
    Series,
    chart,
    described,
    level,
    level_label,
    lines,
    points,
    sizes_on,
)
from vestigo.show.page.explored import ALL, curve_points, lines_of, lookups_of, measures_for, point, surroundings
from vestigo.show.page.frame import BOKEH, asset, rendered
from vestigo.show.page.knobs import Said, changed, knobs, limit_knobs, limits_said, stated_in, values_of
from vestigo.show.safe import printable
from vestigo.units import SIZES, best_unit, format_share

_LINES = {"today": TODAY.role, "now": PICK.role}
_SUMMARY = ("hit_rate", "fresh_hit_rate", "stale_rate", "loads", "memory_peak")
_MOST_KNOWN = 2000
_HIGH = 0.9
"""Above a line so high no text has room."""
_MOST_LOOKUPS = 200
"""So many have knobs of their own."""
_SIZES_LOOKED_AT = 100_000
"""Events whose sizes tell about how large all values are."""
_NOT_YET = "…"


def explore_html(explorer: Explorer) -> str:
    """The document. Its script talks only to the server that it came from."""
    around = explorer.here
    known = explorer.known[:_MOST_KNOWN]
    before = values_of(explorer.plan, explorer.trace.lookups[:_MOST_LOOKUPS])
    values_bytes = max((int(curve.bytes[-1]) for curve in around.curves.values() if len(curve.bytes)), default=1)
    page_data = _of_knobs(explorer, values_bytes) | {
        "lookups": [[ALL, "all look-ups"], *([name, printable(name, 60)] for name in lookups_of(around.today))],
        "known": [_known(one, before) for one in known],
        "around": surroundings(around),
    }
    charts = {name: described(one) for name, one in _charts(explorer, known).items()}
    return _document(explorer, {"charts": charts, "page-data": page_data})


def opening_html(explorer: Explorer) -> str:
    """The document for as long as only a sample answers: the knobs and the numbers."""
    trace = explorer.trace
    values_bytes = len(trace.keys) * max(int(trace.size[:_SIZES_LOOKED_AT].mean()), 1)
    unknown = [_NOT_YET] * len(measures_for(explorer))
    page_data = _of_knobs(explorer, values_bytes) | {
        "lookups": [[ALL, "all look-ups"]],
        "known": [],
        "is_opening": True,
        "around": {"name": "", "beside": {ALL: {"today": unknown, "most": unknown}}},
    }
    return _document(explorer, {"charts": {}, "page-data": page_data}, events=f"{len(trace):,}")


def _document(explorer: Explorer, data: Mapping[str, object], events: str = "") -> str:
    """`events` says how many there are of a trace that is being opened."""
    return rendered(
        "explore.html",
        {
            "source": printable(explorer.trace.source, 200),
            "own_style": Markup(asset("explore.css")),
            "heads": ["today", "now", "change", "upper bound"],
            "stale_known": explorer.stale_known,
            "opening": events,
        },
        (BOKEH, "page.js", "knobs.js", "asking.js", "drawing.js", "kept.js", "best.js", "explore.js"),
        data,
        talks_to="'self'",
    )


def _of_knobs(explorer: Explorer, values_bytes: int) -> dict[str, object]:
    """What the page needs of rules and measures."""
    names, measures = explorer.trace.lookups[:_MOST_LOOKUPS], measures_for(explorer)
    return {
        "knobs": knobs(explorer.trace, values_bytes),
        "values": values_of(explorer.plan, names),
        "stated": stated_in(explorer.plan, names),
        "places": _places(explorer, names),
        "limits": limit_knobs(explorer.stale_known, values_bytes),
        "limited": limits_said(explorer.plan.aim),
        "measures": [MEASURES[name].label for name in measures],
        "summary": [measures.index(name) for name in _SUMMARY if name in measures],
    }


def _places(explorer: Explorer, names: Sequence[str]) -> list[list[str]]:
    """The places where rules can be changed, each with its key, its name and its knobs."""
    return [
        ["rules", "every look-up", "rules"],
        *([f"lookup.{name}", f"look-up {printable(name, 60)}", "rules"] for name in names),
        *([f"pool.{name}", f"pool {printable(name, 60)}", "pool"] for name in explorer.plan.pools),
        ["whatif", "what if ...", "whatif"],
    ]


def _known(candidate: Candidate, before: Said) -> dict[str, object]:
    """A candidate of a sweep: its name, and by key how it differs from today's settings."""
    return {
        "name": printable(candidate.name, most=300),
        "settings": changed(candidate.plan, before),
        "memory": candidate.measure("memory_peak"),
    }


def _charts(explorer: Explorer, known: list[Candidate]) -> dict[str, object]:
    around = explorer.here
    is_known = around.today.stale_known
    made = {"front": _front(explorer, known), "curve": _curve(around)}
    _, unit = best_unit(around.today.memory_peak, SIZES)
    kinds = {"hits": ("hit rate", "share"), "calls": ("origin calls", "count"), "memory": (f"memory, {unit}", "number")}
    if is_known:
        kinds["stale"] = ("stale hits", "share")
    for name, (called, kind) in kinds.items():
        made[name] = chart(name, Axis("time (UTC)", "time"), Axis(called, kind), height=170)
        begun = lines_of(around.today, around.today)
        lines(made[name], [Series(one, role, begun["x"], begun[name]) for one, role in _LINES.items()])
        made[name].y_range.start = 0
        made[name].xaxis[0].ticker.desired_num_ticks = 4
    return made


def _front(explorer: Explorer, known: list[Candidate]) -> Drawing:
    from bokeh.models import Range1d, TapTool

    around = explorer.here
    today = around.today
    of_hits = measure_of_hits(today.stale_known)
    made = chart("front", Axis("memory peak", "size"), Axis(MEASURES[of_hits].label, "share"), height=270)
    places = [point(one, today.stale_known) for one in known]
    columns = {"x": [one[0] for one in places], "y": [one[1] for one in places], "number": list(range(len(known)))}
    nothing: dict[str, list[float]] = {"x": [], "y": [], "number": []}
    memory, hits = point(today, today.stale_known)
    at_today = {"x": [memory], "y": [hits], "number": [-1]}  # from the beginning, so that the axes span something
    lines(made, [Series("best", "accent", [], [])])
    drawn = [points(made, "known", columns, look=Look("quiet", "circle"), size=6)]
    for name, look, size in (
        ("best", Look("accent", "circle"), 6),
        ("tried", Look("second", "circle"), 7),
        ("kept", Look("second", "square"), 10),
        ("today", TODAY, 15),
        ("now", PICK, 20),
    ):
        drawn.append(points(made, name, at_today if name == "today" else nothing, look=look, size=size))
    top = float(amount_of(around.ceilings[of_hits], of_hits))
    level(made, top)
    level_label(made, top, f"upper bound: {format_share(top)}", is_below=top > _HIGH)
    made.add_tools(TapTool(renderers=drawn[:4]))
    made.y_range = Range1d(start=0, end=min(top + 0.12, 1.05))
    sizes_on(made.xaxis[0], today.memory_peak / 2, today.memory_peak * 2)
    return made


def _curve(around: Surroundings) -> Drawing:
    made = chart("curve", Axis("memory, overhead included", "size"), Axis("hits, share of reads", "share"), height=220)
    first = around.curves[lookups_of(around.today)[0]]
    sizes, rates = curve_points(first)
    lines(made, [Series("curve", "quiet", sizes, rates)])
    points(made, "limit", {"x": [], "y": []}, look=TODAY, size=13)
    points(made, "now", {"x": [], "y": []}, look=PICK, size=18)
    made.y_range.start = 0
    sizes_on(made.xaxis[0], sizes[0] if sizes else 1, sizes[-1] if sizes else 1)
    return made
