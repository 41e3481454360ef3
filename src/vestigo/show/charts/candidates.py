"""Candidates by memory and hits, and those that no other beats."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.pick import Pick
from vestigo.choosing.sweep import Sweep
from vestigo.measures import MEASURES
from vestigo.rules.plan_parts import ALWAYS_FRESH, KEEP_ALL
from vestigo.show.charts.records import PICK, TODAY, Chart, Level, Line, Look, Marks, Named, Place
from vestigo.units import format_share


class Staleness(NamedTuple):
    """Candidates whose share of stale reads lies above one bound and not above another."""

    label: str
    above: float
    up_to: float
    look: Look


_CLASSES = (
    Staleness("at most 0.1 % stale", -1, 0.001, Look("accent", "circle")),
    Staleness("at most 1 % stale", 0.001, 0.01, Look("second", "square")),
    Staleness("more than 1 % stale", 0.01, 1, Look("warning", "triangle")),
)
_UNKNOWN = Staleness("how many are stale is not known", -1, 1, Look("accent", "circle"))


def measure_of_hits(stale_known: bool) -> str:
    """The measure of hits that a trace can tell."""
    return "fresh_hit_rate" if stale_known else "hit_rate"


def front_chart(candidates: Sweep, pick: Pick | None, shown: Sequence[Candidate] | None = None) -> Chart:
    """The candidates that are `shown`, or all of them. Their look tells their stale reads."""
    drawn = list(candidates.values()) if shown is None else list(shown)
    of_hits = measure_of_hits(candidates.stale_known)

    def place(one: Candidate) -> Place:
        return one.measure("memory_peak"), one.measure(of_hits)

    looks = {candidates.today.name: ("today", TODAY)}
    if pick is not None and pick.candidate.name != candidates.today.name:
        looks[pick.candidate.name] = ("the pick", PICK)
    marks = []
    for kind in _CLASSES if candidates.stale_known else (_UNKNOWN,):
        own = [
            (number, one)
            for number, one in enumerate(drawn)
            if one.name not in looks and kind.above < one.measure("stale_rate") <= kind.up_to
        ]
        marks.append(Marks(kind.label, kind.look, [place(one) for _, one in own], [number for number, _ in own]))
    unbeaten = sorted(candidates.front((of_hits, "memory_peak")), key=lambda one: one.measure("memory_peak"))
    x, y = (np.array(column) for column in zip(*map(place, unbeaten), strict=True))
    memory = [one.measure("memory_peak") for one in drawn]
    return Chart(
        lines=(Line("the front", "quiet", x, y),),
        marks=tuple(marks),
        named=tuple(
            Named(*looks[one.name], place(one), number) for number, one in enumerate(drawn) if one.name in looks
        ),
        level=_level(candidates, of_hits),
        x_label="memory peak",
        y_label=f"{MEASURES[of_hits].label}, share of reads",
        x_range=(max(min(memory), 1), max(*memory, 2)),
    )


def _level(candidates: Sweep, of_hits: str) -> Level | None:
    """The ceiling, if it is known."""
    ceiling = ALWAYS_FRESH if candidates.stale_known else KEEP_ALL
    if ceiling not in candidates.references:
        return None
    top = candidates.references[ceiling].measure(of_hits)
    return Level(top, f"upper bound for any settings: {format_share(top)}")


def ceiling_text(found: Sweep) -> str:
    """What the dotted line of the front means."""
    of_hits = measure_of_hits(found.stale_known)
    level = _level(found, of_hits)
    if level is None:
        return ""
    return f"No settings can give more than {format_share(level.at)} {MEASURES[of_hits].label} here (the dotted line)."
