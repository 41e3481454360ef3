"""Figures of a survey: reuse times, popularity, origin time, activity; and a page of all four."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.dates import AutoDateLocator, ConciseDateFormatter
from matplotlib.ticker import FixedLocator, FuncFormatter, NullLocator, PercentFormatter

from vestigo.describing.survey import Survey
from vestigo.show import style
from vestigo.show.figures.canvas import check_drawn, entitle, on_axis, our_style
from vestigo.show.figures.labels import Line, label_lines
from vestigo.show.safe import printable
from vestigo.units import SPANS, best_unit, format_seconds, format_share

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_MOST_LINES = len(style.SERIES)
_NAME = 18
_TIME_MARKS = {1e-6: "1 µs", 1e-3: "1 ms", 0.1: "100 ms", 1: "1 s", 10: "10 s", 60: "1 min", 600: "10 min"} | {
    3600: "1 h", 21_600: "6 h", 86_400: "1 d", 604_800: "7 d", 2_592_000: "30 d"
}  # fmt: skip


def _on_axis(survey: Survey, ax: "Axes | None", draw: "Callable[[Axes], None]") -> "Axes":
    check_drawn("survey", survey, Survey)
    return on_axis(ax, draw)


def reuse_times(survey: Survey, ax: "Axes | None" = None) -> "Axes":
    """The share of each look-up's repeats that come within a time after the previous read. A lifetime must be longer
    than this time.
    """
    return _on_axis(survey, ax, lambda drawn: _draw_reuse(drawn, survey))


def popularity(survey: Survey, ax: "Axes | None" = None) -> "Axes":
    """What share of its reads each look-up's most popular keys get."""
    return _on_axis(survey, ax, lambda drawn: _draw_popularity(drawn, survey))


def origin_time(survey: Survey, ax: "Axes | None" = None) -> "Axes":
    """How long each look-up took at the origin, and how much of that was for repeats of unchanged values."""
    return _on_axis(survey, ax, lambda drawn: _draw_origin(drawn, survey))


def activity(survey: Survey, ax: "Axes | None" = None) -> "Axes":
    """Reads and changes over time."""
    return _on_axis(survey, ax, lambda drawn: _draw_activity(drawn, survey))


def page(survey: Survey) -> "Sequence[Axes]":
    """All four on one page.

    >>> from vestigo import read_trace
    >>> from vestigo import Trace, survey
    >>> import matplotlib; matplotlib.use("agg")
    >>> found = survey(read_trace({"at": [0, 9], "key": ["a", "a"], "cost": [3, 4]}))
    >>> [axis.get_title("left") for axis in page(found)]
    ['Origin time', 'Reuse times', 'Popularity', 'Reads and changes']
    """
    import matplotlib.pyplot as plt

    check_drawn("survey", survey, Survey)
    with our_style():
        figure, axes = plt.subplots(2, 2, figsize=(12.8, 8), layout="constrained")
        total = survey.total
        entitle(
            figure,
            f"{printable(survey.source)}: {total.reads:,} reads of {total.keys:,} keys, "
            f"at most {format_share(total.fresh_answerable_share)} can be answered {_what(survey)}",
        )
    flat = list(axes.flat)
    for axis, draw in zip(flat, (origin_time, reuse_times, popularity, activity), strict=True):
        draw(survey, axis)
    return flat


def _shown(survey: Survey) -> list[tuple[str, str]]:
    """The look-ups that matter most. Each has the same colour in every figure."""
    return list(zip(list(survey.lookups)[:_MOST_LINES], style.SERIES, strict=False))


def _draw_reuse(axis: "Axes", survey: Survey) -> None:
    lines = []
    for name, colour in _shown(survey):
        curve = survey.curves[name]
        if repeats := curve.gap_counts.sum():
            shares = np.concatenate([[0], np.cumsum(curve.gap_counts) / repeats])
            axis.plot(curve.gap_edges, shares, color=colour)
            lines.append(Line(printable(name, _NAME), colour, curve.gap_edges, shares))
    axis.set_xscale("log")
    _shares(axis, "share of repeats")
    if lines:
        low = min(float(line.x[max(int(np.argmax(line.y > 0.002)) - 1, 0)]) for line in lines)
        high = max(float(line.x[int(np.argmax(line.y >= 1))]) for line in lines)
        axis.set_xlim(low, high)
        _time_axis(axis, low, high)
        label_lines(axis, lines)
    axis.set_xlabel("time since the key's previous read")
    axis.set_title("Reuse times")


def _draw_popularity(axis: "Axes", survey: Survey) -> None:
    lines = []
    for name, colour in _shown(survey):
        curve = survey.curves[name]
        if len(curve.ranks):
            axis.plot(curve.ranks, curve.read_shares, color=colour, marker="o" if len(curve.ranks) == 1 else None)
            lines.append(Line(printable(name, _NAME), colour, curve.ranks, curve.read_shares))
    axis.set_xscale("log")
    axis.xaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.0f}"))
    _shares(axis, "share of the look-up's reads")
    label_lines(axis, lines)
    axis.set_xlabel("keys, most popular first")
    axis.set_title("Popularity")


def _what(survey: Survey) -> str:
    return "with fresh data" if survey.total.changes_known else "(not all changes are known)"


def _draw_origin(axis: "Axes", survey: Survey) -> None:
    names = [name for name, _ in _shown(survey)][::-1]
    each = [survey.lookups[name] for name in names]
    timed = survey.total.origin_time > 0
    whole = [one.origin_time if timed else one.reads for one in each]
    part = [one.saveable_time if timed else one.fresh_answerable for one in each]
    size, unit = best_unit(max(whole, default=0), SPANS) if timed else (1, "reads")
    axis.barh(names, [amount / size for amount in whole], color=style.RULE, height=0.62)
    bars = axis.barh(names, [amount / size for amount in part], color=style.ACCENT, height=0.62)
    labels = [
        f"{format_share(a / b)} of {format_seconds(b) if timed else f'{b:,.0f} reads'}" if b else ""
        for a, b in zip(part, whole, strict=True)
    ]
    for bar, amount, label in zip(bars, whole, labels, strict=True):
        axis.annotate(
            label, (amount / size, bar.get_y() + bar.get_height() / 2), xytext=(5, 0), textcoords="offset points",
            va="center", fontsize=9,
        )  # fmt: skip
    axis.set_yticks(range(len(names)), [printable(name, _NAME) for name in names])
    axis.grid(axis="y", visible=False)
    axis.grid(axis="x", visible=True, color=style.RULE, linewidth=0.8)
    axis.set_axisbelow(True)
    axis.margins(x=0.32)
    axis.set_xlim(left=0)
    axis.set_xlabel(f"{'origin time' if timed else 'reads'} ({unit}); dark: reads that repeat {_what(survey)}")
    axis.set_title("Origin time" if timed else "Reads")


def _draw_activity(axis: "Axes", survey: Survey) -> None:
    curves = list(survey.curves.values())
    if curves and curves[0].times_ns[-1] > curves[0].times_ns[0]:
        times = curves[0].times_ns
        edges = times / (86_400 * 1e9)
        reads = np.sum([curve.reads_over_time for curve in curves], axis=0)
        changes = np.sum([curve.changes_over_time for curve in curves], axis=0)
        axis.stairs(reads, edges, color=style.ACCENT, fill=True, alpha=0.25)
        axis.stairs(reads, edges, color=style.ACCENT, baseline=None, label="reads")
        axis.stairs(changes, edges, color=style.WARNING, baseline=None, label="changes")
        top = int(np.argmax(reads))
        at = (edges[top] + edges[top + 1]) / 2
        axis.annotate("reads", (at, reads[top]), color=style.ACCENT, fontweight="bold", ha="center", va="bottom")
        most = int(np.argmax(changes))
        if changes[most]:
            at = (edges[most] + edges[most + 1]) / 2
            axis.annotate(
                "changes", (at, changes[most]), color=style.WARNING, fontweight="bold", ha="center", va="bottom"
            )
        width = format_seconds((times[1] - times[0]) / 1e9)
        axis.set_ylabel(f"per {width}")
        axis.set_xlim(edges[0], edges[-1])
    locator = AutoDateLocator()  # type: ignore[no-untyped-call]
    axis.xaxis_date("UTC")
    axis.xaxis.set_major_locator(locator)
    axis.xaxis.set_major_formatter(ConciseDateFormatter(locator))  # type: ignore[no-untyped-call]
    axis.set_ylim(bottom=0)
    axis.margins(y=0.12)
    axis.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.0f}"))
    axis.set_xlabel("time (UTC)")
    axis.set_title("Reads and changes")


def _shares(axis: "Axes", what: str) -> None:
    axis.set_ylim(0, 1.02)
    axis.yaxis.set_major_formatter(PercentFormatter(1, decimals=0))
    axis.set_ylabel(what)


def _time_axis(axis: "Axes", low: float, high: float) -> None:
    marks = {seconds: label for seconds, label in _TIME_MARKS.items() if low <= seconds <= high}
    axis.xaxis.set_major_locator(FixedLocator(list(marks)))
    axis.xaxis.set_minor_locator(NullLocator())
    axis.xaxis.set_major_formatter(FuncFormatter(lambda value, _: marks.get(value, "")))
