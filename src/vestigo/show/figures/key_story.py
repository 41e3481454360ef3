"""A key's life on each node: when it was held, when it was stale, and what happened."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.dates import AutoDateLocator, ConciseDateFormatter
from matplotlib.patches import PathPatch
from matplotlib.path import Path

from vestigo.explaining.why.story import Stay, Story
from vestigo.show import style
from vestigo.show.figures.canvas import (
    NAME,
    check_axes,
    check_drawn,
    entitle,
    fit_to_ground,
    height_inches,
    our_style,
    width_inches,
)
from vestigo.show.safe import printable
from vestigo.units import counted

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_DAY = 86_400 * 10**9
_BAND = 0.56
_INCHES_A_LABEL, _INCHES_BELOW = 1.9, 0.6
_GAPS = 30
"""So many usual times between reads are shown before and after a read that is asked for."""


def story(story: Story, ax: "Axes | None" = None) -> "Axes":
    """Draws a band for each node (or scope): held and fresh, held and stale, or not held. Loads and evictions are marks
    on the band. Changes at the origin are lines across all bands.

    >>> import vestigo as vg
    >>> import matplotlib; matplotlib.use("agg")
    >>> trace = vg.read_trace({"at": [0, 10, 20], "key": ["a", "b", "a"]})
    >>> axis = story(vg.why(trace, vg.Rules(max_entries=1), key="a"))
    >>> [label.get_text() for label in axis.get_yticklabels()]
    ['all']
    """
    check_drawn("story", story, Story)
    if ax is not None:
        check_axes([ax], "ax", "give one, such as plt.subplots()[1]")
    with our_style():
        axis = _figure(story) if ax is None else ax
        held, done = {one.where for one in story.stays}, {one.where for one in story.steps if one.what != "changed"}
        places = sorted(held | done, key=lambda where: where or "")
        rows = {where: row for row, where in enumerate(places)}
        _draw_bands(axis, story, rows)
        _draw_marks(axis, story, rows)
        _draw_changes(axis, story)
        axis.set_yticks(range(len(rows)), [printable(where, NAME) if where else "all" for where in rows])
        axis.set_ylim(len(rows) - 0.4, -0.6)
        begin, end = _limits(story)
        axis.set_xlim(begin / _DAY, end / _DAY)
        if story.read_at_ns is not None:
            axis.axvline(story.read_at_ns / _DAY, color=style.WARNING, linewidth=1.6, label="the read asked for")
        axis.xaxis_date("UTC")
        locator = AutoDateLocator()  # type: ignore[no-untyped-call]
        axis.xaxis.set_major_locator(locator)
        axis.xaxis.set_major_formatter(ConciseDateFormatter(locator))  # type: ignore[no-untyped-call]
        axis.set_xlabel("time (UTC)")
        axis.grid(False)
        columns = min(6, max(1, int(width_inches(axis) / _INCHES_A_LABEL)))
        below = -_INCHES_BELOW / max(height_inches(axis), _INCHES_BELOW)
        axis.legend(loc="upper left", bbox_to_anchor=(0, below), ncols=columns, frameon=False, handlelength=1.6)
    if ax is not None:
        fit_to_ground([ax])
    return axis


def _figure(story: Story) -> "Axes":
    import matplotlib.pyplot as plt

    figure, axis = plt.subplots(figsize=(12.8, 8), layout="constrained")
    total = story.total
    stale = f", {total['stale_hits']:,} of them stale" if total["stale_hits"] else ""
    causes = sorted(total["misses_by_cause"].items(), key=lambda one: -one[1])
    most = f", {causes[0][1]:,} of them {causes[0][0]}" if causes else ""
    entitle(
        figure,
        f"{printable(story.lookup, NAME)} {printable(story.key, NAME)}: {counted(total['reads'], 'read')}, "
        f"{counted(total['hits'], 'hit')}{stale}, {counted(total['misses'], 'miss', 'misses')}{most}",
    )
    return axis


def _draw_bands(axis: "Axes", story: Story, rows: dict[str | None, int]) -> None:
    whole = [(story.begins_ns, story.ends_ns)]
    bands: dict[str, tuple[str, float, Callable[[Stay], tuple[int, int]]]] = {
        "held, fresh": (style.ACCENT, 0.85, lambda one: (one.begins_ns, min(_fresh_until(one), _serves_until(one)))),
        "held, stale": (style.WARNING, 0.85, lambda one: (_fresh_until(one), _serves_until(one))),
        "held, but expired": (style.QUIET, 0.45, lambda one: (_serves_until(one), one.ends_ns)),
    }
    for where, row in rows.items():
        own = [one for one in story.stays if one.where == where]
        _draw_band(axis, row, whole, color=style.RULE, alpha=0.5)
        for name, (colour, alpha, span_of) in bands.items():
            spans = [span_of(one) for one in own]
            _draw_band(axis, row, spans, color=colour, alpha=alpha, label=name if row == 0 else "_")


def _fresh_until(stay: Stay) -> int:
    return stay.ends_ns if stay.stale_from_ns is None else stay.stale_from_ns


def _serves_until(stay: Stay) -> int:
    return stay.ends_ns if stay.expired_from_ns is None else stay.expired_from_ns


def _draw_band(axis: "Axes", row: int, spans: Sequence[tuple[int, int]], **look: object) -> None:
    """Draws all spans as one shape, because a busy key has thousands."""
    bars = np.array([one for one in spans if one[0] < one[1]], float).reshape(-1, 2) / _DAY
    low, high = row - _BAND / 2, row + _BAND / 2
    corners = np.empty((len(bars), 5, 2))
    corners[:, :, 0] = bars[:, [0, 0, 1, 1, 0]]
    corners[:, :, 1] = (low, high, high, low, low)
    codes = [Path.MOVETO, Path.LINETO, Path.LINETO, Path.LINETO, Path.CLOSEPOLY]
    axis.add_artist(PathPatch(Path(corners.reshape(-1, 2), codes * len(bars)), linewidth=0, **look))


def _draw_marks(axis: "Axes", story: Story, rows: dict[str | None, int]) -> None:
    marks = (
        ("missed", "|", style.INK, "load", _BAND / 2 + 0.06),
        ("evicted", "v", style.SECOND, "evicted", -_BAND / 2 - 0.08),
        ("dropped", "x", style.SECOND, "dropped", -_BAND / 2 - 0.08),
    )
    for what, marker, colour, name, below in marks:
        steps = [one for one in story.steps if one.what == what and one.where in rows]
        if steps:
            times = [one.at_ns / _DAY for one in steps]
            axis.plot(
                times,
                [rows[one.where] + below for one in steps],
                marker,
                color=colour,
                markersize=5,
                label=name,
                linestyle="",
            )


def _draw_changes(axis: "Axes", story: Story) -> None:
    """Draws lines from top to bottom, as one shape."""
    times = [step.at_ns / _DAY for step in story.steps if step.what == "changed"]
    if not times:
        return
    ends = np.column_stack([np.repeat(times, 2), np.tile([0.0, 1.0], len(times))])
    line: style.Drawn = {"color": style.INK, "linewidth": 0.8, "linestyle": (0, (1, 2))}
    shape = Path(ends, [Path.MOVETO, Path.LINETO] * len(times))
    axis.add_artist(PathPatch(shape, transform=axis.get_xaxis_transform(), fill=False, **line))
    axis.plot([], [], label="changed at the origin", **line)


def _limits(story: Story) -> tuple[int, int]:
    """The time that is shown: all of the trace, or the time around the read that is asked for."""
    begins, ends = story.begins_ns, max(story.ends_ns, story.begins_ns + 1)
    if story.read_at_ns is None:
        return begins, ends
    around = _GAPS * max(story.gap_ns or 0, 1)
    return max(begins, story.read_at_ns - around), min(ends, story.read_at_ns + around)
