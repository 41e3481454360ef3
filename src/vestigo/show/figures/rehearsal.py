"""Draws how a bad moment goes: over time, with and without it, and with each settings."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from matplotlib.ticker import FuncFormatter

from vestigo.choosing.rehearsing.rehearsed import Course, Rehearsed
from vestigo.errors import raise_for_unknown
from vestigo.explaining.rehearse.rehearsal import Rehearsal
from vestigo.show import style
from vestigo.show.figures.canvas import check_drawn, entitle, our_style
from vestigo.show.safe import printable
from vestigo.units import SECOND, format_seconds

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_MINUTE = 60


def rehearsal(found: Rehearsal, moment: str | None = None) -> "Sequence[Axes]":
    """The p95 of read time, the calls that wait, and the origin calls, before and after a bad moment: the worst one, or
    another by its name. The dashed lines are the same time without it. Returns the axes, from top to bottom.

    Raises UnknownName for a moment that was not rehearsed.
    """
    import matplotlib.pyplot as plt

    check_drawn("found", found, Rehearsal)
    if moment is not None:
        raise_for_unknown("moment", moment, found.moments)
    name = found.worst.moment if moment is None else moment
    with our_style():
        figure, axes = plt.subplots(3, 1, sharex=True, figsize=(12.8, 8), layout="constrained", height_ratios=(4, 3, 3))
        entitle(figure, printable(f"{found.moments[name]}: how long until readers are as well off", most=200))
        for settings, colour in zip(found.settings, style.SERIES, strict=False):
            _draw(axes, found, found.row(name, settings), colour, "-")
            _draw(axes, found, found.row("", settings), colour, "--")
        _finish(axes, found, name)
    return list(axes)


def _draw(axes: "Sequence[Axes]", found: Rehearsal, row: Rehearsed, colour: str, line: str) -> None:
    course = row.course
    minutes = [(begins - found.at_ns) / SECOND / _MINUTE for begins in course.begins_ns]
    for axis, values in zip(axes, _values(course), strict=True):
        axis.step(minutes, values, line, where="post", color=colour, alpha=1 if line == "-" else 0.6)
    if line == "-":
        axes[0].plot([], [], line, color=colour, label=printable(f"{row.settings}: {found.takes(row)}", most=60))
        if row.recovery is not None:
            for axis in axes:
                axis.axvline(row.recovery / _MINUTE, color=colour, linewidth=0.8, linestyle=":")


def _values(course: Course) -> tuple[Sequence[float], ...]:
    return course.read_p95, course.waiting, course.calls


def _finish(axes: "Sequence[Axes]", found: Rehearsal, name: str) -> None:
    reads, waiting, calls = axes
    reads.set_ylabel("p95 of read time")
    reads.yaxis.set_major_formatter(FuncFormatter(lambda seconds, _: format_seconds(seconds)))
    waiting.set_ylabel("calls that wait")
    calls.set_ylabel("origin calls")
    longest = max((row.recovery or 0 for row in found.rows if row.moment == name), default=0) / _MINUTE
    span = (found.ends_ns - found.at_ns) / SECOND / _MINUTE
    for axis in axes:
        axis.set_ylim(bottom=0)
        axis.set_xlim(0, min(max(2 * longest, 5), span) or 1)  # a recording may hold one moment
    calls.set_xlabel("minutes after the moment")
    reads.legend(title="as well off after (dashed: without it)", frameon=False, loc="upper right")
