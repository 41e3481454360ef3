"""Figures of choices: the front, the curves of all sizes, two rules that vary, what each cause of misses holds."""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import matplotlib as mpl
import numpy as np
from matplotlib.ticker import FuncFormatter, LogLocator, PercentFormatter

from vestigo.errors import InputError
from vestigo.measures import MEASURES, measure
from vestigo.outcome import CAUSES, Outcome
from vestigo.show import style
from vestigo.show.figures.canvas import on_axis, our_style
from vestigo.show.safe import printable
from vestigo.study import Candidate, Pick, SizeCurve, Sweep
from vestigo.units import format_bytes, format_share

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_NAME = 30
_CAUSES = {
    "first": "first read",
    "scope": "another compartment",
    "evicted": "size limit",
    "aged": "absolute expiry",
    "idle": "sliding expiry",
    "clock": "fixed times",
    "dropped": "writes that drop",
    "cleared": "clears",
    "restarted": "restarts",
    "null": "nulls not kept",
    "refused": "refused values",
    "forced": "forced reads",
    "loading": "still loading",
}


def front(found: Sweep, pick: Pick | None = None, axis: "Axes | None" = None) -> "Axes":
    """Every candidate by memory and fresh hits, its stale reads told by colour and mark; those that no other beats are
    joined by a line. Today's settings, the pick and the ceiling are named.
    """
    return on_axis(axis, lambda drawn: _draw_front(drawn, found, pick))


def size_curves(curves: Sequence[SizeCurve], axis: "Axes | None" = None) -> "Axes":
    """The hit rate at every size in memory, with the least size that is enough and today's limit on it."""
    return on_axis(axis, lambda drawn: _draw_curves(drawn, curves))


def heat(found: Sweep, down: str, across: str, measure: str = "fresh_hit_rate", axis: "Axes | None" = None) -> "Axes":
    """A measure at every pair of values of two rules that vary; of candidates that share a pair, the best one.

    Raises InputError if one of them does not vary.
    """
    return on_axis(axis, lambda drawn: _draw_heat(drawn, found, down, across, measure))


def causes(outcome: Outcome, axis: "Axes | None" = None) -> "Axes":
    """Why reads were misses: the share of all reads that each cause holds, the most that removing it could save."""
    return on_axis(axis, lambda drawn: _draw_causes(drawn, outcome))


def choice_page(found: Sweep, pick: Pick, curves: Sequence[SizeCurve], today: Outcome) -> "Sequence[Axes]":
    """A page of four: the front, all sizes, today's misses, and the two rules that vary and matter most."""
    import matplotlib.pyplot as plt

    with our_style():
        figure, axes = plt.subplots(2, 2, figsize=(12.8, 8), layout="constrained")
        figure.suptitle(
            f"{pick.goal}: {pick.write(pick.value(found.today))} today, {pick.write(pick.value(pick.candidate))} "
            f"with {_called(pick.candidate)}",
            x=0.01,
            ha="left",
            fontsize=13,
            fontweight="bold",
        )
    flat = list(axes.flat)
    front(found, pick, flat[0])
    size_curves(curves, flat[1])
    causes(today, flat[2])
    what = pick.aim.best or "fresh_hit_rate"
    pair = _most_telling(found, what)
    if pair is not None:
        heat(found, *pair, what, flat[3])
    else:
        flat[3].set_axis_off()
    return flat


def _most_telling(found: Sweep, name: str) -> tuple[str, str] | None:
    """The two rules whose best values lie farthest apart."""
    spread = {}
    for key in dict.fromkeys(key for one in found.values() for key in one.changes):
        best: dict[str, float] = {}
        sign = 1 if MEASURES[name].more_is_better else -1
        for one in found.values():
            if key in one.changes:
                value = str(one.changes[key])
                best[value] = max(best.get(value, -np.inf), sign * one.measure(name))
        spread[key] = max(best.values()) - min(best.values())
    first, *more = sorted(spread, key=lambda key: -spread[key]) or [""]
    return (first, more[0]) if more else None


def _draw_front(axis: "Axes", found: Sweep, pick: Pick | None) -> None:
    each = list(found.values())
    of_hits, most = ("fresh_hit_rate", "no limits, fresh") if found.stale_known else ("hit_rate", "no limits")

    def place(one: Candidate) -> tuple[float, float]:
        return one.measure("memory_peak"), one.measure(of_hits)

    memory = np.array([one.measure("memory_peak") for one in each])
    hits = np.array([one.measure(of_hits) for one in each])
    stale = np.array([one.measure("stale_rate") for one in each])
    parts = [
        (stale <= 0.001, "o", style.ACCENT, "at most 0.1 % stale"),
        ((stale > 0.001) & (stale <= 0.01), "s", style.SECOND, "at most 1 % stale"),
        (stale > 0.01, "^", style.WARNING, "more than 1 % stale"),
    ]
    if not found.stale_known:
        parts = [(np.ones(len(each), bool), "o", style.ACCENT, "how many are stale is not known")]
    for chosen, mark, colour, label in parts:
        if chosen.any():
            axis.scatter(
                memory[chosen], hits[chosen], s=26, c=colour, marker=mark, alpha=0.65, linewidths=0, label=label
            )
    unbeaten = sorted(found.front((of_hits, "memory_peak")), key=lambda one: one.measure("memory_peak"))
    axis.step(*zip(*map(place, unbeaten), strict=True), where="post", color=style.QUIET, linewidth=1, zorder=0)
    if most in found.references:
        top = found.references[most].measure(of_hits)
        axis.axhline(top, color=style.QUIET, linestyle=":", linewidth=1.2)
        axis.annotate(
            f"no settings can have more: {format_share(top)}",
            (0.01, top),
            xycoords=("axes fraction", "data"),
            xytext=(0, 3),
            textcoords="offset points",
            color=style.QUIET,
        )
    _name(axis, place(found.today), "today", style.INK, "D")
    if pick is not None and pick.candidate.name != found.today.name:
        _name(axis, place(pick.candidate), _called(pick.candidate), style.ACCENT, "*")
    axis.set_xscale("log")
    axis.margins(x=0.12)
    axis.set_ylim(0, min(1.0, max(float(hits.max(initial=0)), 0.8) * 1.2))
    _byte_axis(axis, base=2)
    axis.yaxis.set_major_formatter(PercentFormatter(1, decimals=0))
    axis.set_xlabel("memory peak")
    axis.set_ylabel(f"{MEASURES[of_hits].label}, share of reads")
    axis.set_title(f"{len(found):,} candidates")
    axis.legend(loc="lower right", frameon=False, fontsize=9)


def _called(candidate: Candidate) -> str:
    """A name that says every change is too long for a figure."""
    return f"the pick: {printable(candidate.name)}" if len(candidate.name) <= _NAME else "the pick"


def _name(axis: "Axes", at: tuple[float, float], text: str, colour: str, mark: str) -> None:
    """Always marked the same way."""
    axis.plot(*at, mark, color=colour, markersize=13 if mark == "*" else 8, markeredgecolor=style.GROUND, zorder=5)
    right = at[0] > np.median([*axis.get_xlim()])
    axis.annotate(
        text,
        at,
        xytext=(-8 if right else 8, 9),
        textcoords="offset points",
        ha="right" if right else "left",
        color=colour,
        fontweight="bold",
        zorder=6,
        bbox={"facecolor": style.GROUND, "edgecolor": "none", "pad": 0.5, "alpha": 0.8},
    )


def _draw_curves(axis: "Axes", curves: Sequence[SizeCurve]) -> None:
    ends: list[tuple[float, str, str]] = []
    most = max((int(curve.bytes[-1]) for curve in curves if len(curve.bytes)), default=1)
    least = min((int(curve.bytes[0]) for curve in curves if len(curve.bytes)), default=1)
    for curve, colour in zip(curves, _colours(len(curves)), strict=True):
        if not len(curve.bytes) or not curve.reads:
            continue
        rates = curve.byte_hits / curve.reads
        axis.step([*curve.bytes, most], [*rates, rates[-1]], where="post", color=colour)
        enough = curve.enough_bytes
        axis.plot(enough, curve.hit_rate(max_bytes=enough), "o", color=colour, markersize=7)
        if (today := curve.limit_bytes) is not None:
            axis.plot(
                today, curve.hit_rate(max_bytes=today), "D", color=colour, markersize=7, markeredgecolor=style.INK
            )
        ends.append((float(rates[-1]), printable(curve.name, _NAME), colour))
    axis.set_xscale("log")
    axis.set_xlim(least, most * 1.6)
    axis.set_ylim(0, 1.02)
    for (_, name, colour), height in zip(ends, _apart([min(end, 0.97) for end, _, _ in ends], 0.055), strict=True):
        axis.annotate(
            name,
            (1.01, height),
            xycoords="axes fraction",
            color=colour,
            fontweight="bold",
            va="center",
            annotation_clip=False,
        )
    _byte_axis(axis)
    axis.yaxis.set_major_formatter(PercentFormatter(1, decimals=0))
    axis.set_xlabel("memory, overhead included")
    axis.set_ylabel("hits, share of reads")
    whose = f", {curves[0].whose}" if curves and curves[0].whose else ""
    axis.set_title(f"LRU at every size, nothing expires{whose}")
    share = format_share(curves[0].share) if curves else ""
    axis.annotate(
        f"● {share} of what no limit gives\n◆ today's limit",
        (0.98, 0.03),
        xycoords="axes fraction",
        ha="right",
        color=style.QUIET,
    )


def _apart(heights: Sequence[float], gap: float) -> list[float]:
    """Moved as little as it takes to lie so far from each other, none above 1."""
    order = np.argsort(heights)[::-1]
    placed, above = dict[int, float](), 1.0 + gap
    for place in order:
        above = min(heights[place], above - gap)
        placed[int(place)] = above
    return [placed[place] for place in range(len(heights))]


def _draw_heat(axis: "Axes", found: Sweep, down: str, across: str, name: str) -> None:
    try:
        what = measure(name)
    except ValueError as error:
        raise InputError(f"heat: {error}") from None
    cells: dict[tuple[str, str], float] = {}
    sign = 1 if what.more_is_better else -1
    for one in found.values():
        if down in one.changes and across in one.changes:
            pair = (str(one.changes[down]), str(one.changes[across]))
            cells[pair] = max(cells.get(pair, -np.inf), sign * one.measure(name))
    if not cells:
        varied = sorted({key for one in found.values() for key in one.changes})
        raise InputError(
            f"heat: {down} and {across} do not vary together; what varies is {', '.join(varied) or 'nothing'}"
        )
    rows, columns = (list(dict.fromkeys(pair[side] for pair in cells)) for side in (0, 1))
    table = np.array([[cells.get((row, column), np.nan) for column in columns] for row in rows])
    dark = np.nanmin(table) + 0.6 * (np.nanmax(table) - np.nanmin(table))
    shades = mpl.colors.LinearSegmentedColormap.from_list("quiet", [style.RULE, style.ACCENT])
    axis.imshow(table, cmap=shades, aspect="auto")
    axis.grid(visible=False)
    for (row, column), amount in np.ndenumerate(table):
        if np.isfinite(amount):
            colour = style.GROUND if amount > dark else style.INK
            axis.text(column, row, what.write(float(sign * amount)), ha="center", va="center", color=colour)
    axis.set_xticks(range(len(columns)), columns)
    axis.set_yticks(range(len(rows)), rows)
    axis.set_xlabel(across)
    axis.set_ylabel(down)
    axis.set_title(f"{what.label.capitalize()}, of all candidates with these two the best")


def _draw_causes(axis: "Axes", outcome: Outcome) -> None:
    found = {cause: outcome.misses_by_cause[cause] for cause in CAUSES if outcome.misses_by_cause[cause]}
    shares: Mapping[str, float] = {cause: count / max(outcome.reads, 1) for cause, count in found.items()}
    names = sorted(shares, key=lambda cause: shares[cause])
    heights = range(len(names))
    axis.barh(
        heights,
        [shares[name] for name in names],
        color=[style.QUIET if name == "first" else style.ACCENT for name in names],
    )
    for height, name in zip(heights, names, strict=True):
        axis.annotate(
            f"{format_share(shares[name])}, {found[name]:,} reads",
            (shares[name], height),
            xytext=(5, 0),
            textcoords="offset points",
            va="center",
        )
    axis.set_yticks(heights, [_CAUSES[name] for name in names])
    axis.set_xlim(0, max(shares.values(), default=1.0) * 1.4)
    axis.grid(visible=False)
    axis.xaxis.set_major_formatter(PercentFormatter(1))
    axis.set_xlabel("share of all reads: the most that removing the cause could save")
    axis.set_title(f"Why reads were misses: {printable(outcome.name, _NAME)}")


def _colours(count: int) -> list[str]:
    return [style.SERIES[number % len(style.SERIES)] for number in range(count)]


def _byte_axis(axis: "Axes", base: int = 4) -> None:
    axis.xaxis.set_major_locator(LogLocator(base=base))
    axis.xaxis.set_major_formatter(FuncFormatter(lambda size, _: _short(size)))
    axis.minorticks_off()


def _short(size: float) -> str:
    amount, unit = format_bytes(size).split(" ")
    return f"{float(amount.replace(',', '')):g} {unit}"
