"""Draws outcomes over time."""

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.dates import AutoDateLocator, ConciseDateFormatter
from matplotlib.ticker import FuncFormatter, PercentFormatter

from vestigo.errors import RulesError
from vestigo.measures import is_told
from vestigo.outcome import Outcome
from vestigo.show import style
from vestigo.show.charts.over_time import Memory, course, moments
from vestigo.show.figures.canvas import check_axes, check_drawn, entitle, fit_to_ground, our_style
from vestigo.show.safe import printable
from vestigo.units import format_bytes, format_seconds, format_share

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["timeline"]

_LETTERS = 170
"""That fit beside each other in the width of a figure."""


def timeline(outcome: Outcome, ax: "Sequence[Axes] | None" = None) -> "Sequence[Axes]":
    """Hit rate and stale share, origin calls, and memory over time. Restarts and clears are marked.

    It draws on three axes from top to bottom, or on a new figure if there are none, and returns the axes.

    >>> from vestigo import read_trace
    >>> from vestigo import Rules, Trace, replay
    >>> import matplotlib; matplotlib.use("agg")
    >>> outcome = replay(read_trace({"at": [0, 10, 20], "key": ["a", "b", "a"]}), Rules())
    >>> [axis.get_ylabel() for axis in timeline(outcome)]
    ['share of reads', 'origin calls\\nper 20.0 ns', 'memory (KiB)']
    """
    check_drawn("outcome", outcome, Outcome)
    if ax is not None:
        _check_three(ax)
    with our_style():
        axes = _figure(outcome) if ax is None else ax
        rates, calls, memory = axes
        edges = [_date(ns) for ns in course(outcome.slices, "loads").edges_ns.tolist()]
        _draw_rates(rates, outcome, edges)
        _draw_calls(calls, outcome, edges)
        _draw_memory(memory, outcome, edges)
        _draw_marks(axes, outcome)
        for axis in axes:
            locator = AutoDateLocator()  # type: ignore[no-untyped-call]
            axis.xaxis_date("UTC")
            axis.xaxis.set_major_locator(locator)
            axis.xaxis.set_major_formatter(ConciseDateFormatter(locator))  # type: ignore[no-untyped-call]
            if edges and edges[0] < edges[-1]:
                axis.set_xlim(edges[0], edges[-1])
        memory.set_xlabel("time (UTC)")
    if ax is not None:
        fit_to_ground(ax)
    return axes


def _check_three(ax: "Sequence[Axes]") -> None:
    write = "give three from top to bottom, such as plt.subplots(3)[1]"
    given = list(ax) if isinstance(ax, Iterable) else [ax]
    check_axes(given, "ax", write)
    if len(given) != 3:
        raise RulesError(f"ax: {len(given)} axes are given; {write}")


def _figure(outcome: Outcome) -> "Sequence[Axes]":
    import matplotlib.pyplot as plt

    figure, axes = plt.subplots(3, 1, sharex=True, figsize=(12.8, 8), layout="constrained", height_ratios=(5, 3, 3))
    entitle(
        figure,
        f"{printable(outcome.name)}: {format_share(outcome.hit_rate)} of {outcome.reads:,} reads hit{_stale(outcome)}, "
        f"{outcome.loads:,} origin calls, memory peak {format_bytes(outcome.memory_peak)}",
    )
    return list(axes)


def _stale(outcome: Outcome) -> str:
    """The stale share as the end of a sentence, as far as the trace can know it."""
    if not outcome.stale_known:
        return ""
    at_least = "at least " if outcome.changes == "in reads" else ""
    return f", {at_least}{format_share(outcome.stale_rate)} stale"


def _draw_rates(axis: "Axes", outcome: Outcome, edges: Sequence[float]) -> None:
    colours = {"hit_rate": ("hits", style.ACCENT), "stale_rate": ("stale hits", style.WARNING)}
    if outcome.failed:
        colours["failed_rate"] = ("failed", style.INK)
    for measure, (name, colour) in colours.items():
        amounts = course(outcome.slices, measure).amounts
        if edges and is_told(measure, outcome):
            axis.stairs(amounts, edges, color=colour, baseline=None, linewidth=1.8)
            if measure == "stale_rate":
                axis.stairs(np.nan_to_num(amounts), edges, color=colour, fill=True, alpha=0.18)
            _label_end(axis, (edges[-1], _last(amounts)), name, colour)
    axis.set_ylim(0, 1)
    axis.yaxis.set_major_formatter(PercentFormatter(1, decimals=0))
    axis.set_ylabel("share of reads")


def _draw_calls(axis: "Axes", outcome: Outcome, edges: Sequence[float]) -> None:
    if edges:
        axis.stairs(course(outcome.slices, "loads").amounts, edges, color=style.SECOND, fill=True, alpha=0.75)
    axis.set_ylim(bottom=0)
    axis.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.0f}"))
    axis.set_ylabel(f"origin calls\nper {_width(outcome)}")


def _draw_memory(axis: "Axes", outcome: Outcome, edges: Sequence[float]) -> None:
    size, unit = Memory.of(outcome)
    if edges:
        peak, mean = (course(outcome.slices, name).amounts / size for name in ("memory_peak", "memory_mean"))
        axis.stairs(mean, edges, color=style.INK, fill=True, alpha=0.12)
        axis.stairs(mean, edges, color=style.INK, baseline=None)
        axis.stairs(peak, edges, color=style.QUIET, baseline=None, linewidth=1)
        _label_end(axis, (edges[-1], mean[-1]), "mean", style.INK, below=True)
        _label_end(axis, (edges[-1], peak[-1]), "peak", style.QUIET)
    axis.set_ylim(0, max(outcome.memory_peak / size, 1e-9) * 1.15)
    axis.set_ylabel(f"memory ({unit})")


def _draw_marks(axes: "Sequence[Axes]", outcome: Outcome) -> None:
    for moment in moments(outcome, _LETTERS):
        for axis in axes:
            axis.axvline(_date(moment.at_ns), color=style.INK, linewidth=0.9, linestyle=(0, (4, 3)))
        if moment.text:
            axes[0].annotate(
                moment.text,
                (_date(moment.at_ns), 1),
                xycoords=("data", "axes fraction"),
                xytext=(3, -3),
                textcoords="offset points",
                va="top",
                fontsize=9,
                bbox={"facecolor": style.GROUND, "edgecolor": "none", "pad": 1},
            )


def _label_end(axis: "Axes", at: tuple[float, float], text: str, colour: str, below: bool = False) -> None:
    axis.annotate(
        text,
        at,
        xytext=(5, -5 if below else 5),
        textcoords="offset points",
        color=colour,
        va="top" if below else "bottom",
        fontweight="bold",
        annotation_clip=False,
    )


def _last(amounts: np.ndarray) -> float:
    known = amounts[~np.isnan(amounts)]
    return float(known[-1]) if len(known) else 0.0


def _width(outcome: Outcome) -> str:
    if len(outcome.slices) > 2:
        return format_seconds((outcome.slices[1].ends_ns - outcome.slices[1].begins_ns) / 1e9)
    return format_seconds(max((piece.span_ns for piece in outcome.slices), default=0) / 1e9)


def _date(ns: int) -> float:
    """A time as Matplotlib's date: days since 1970."""
    return ns / (86_400 * 1e9)
