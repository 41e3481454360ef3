"""A page about a pick."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from vestigo.choosing.pick import Pick
from vestigo.choosing.sweep import Sweep
from vestigo.engine.size_curve import SizeCurve
from vestigo.measures import MEASURES
from vestigo.outcome import Outcome
from vestigo.show.figures.canvas import entitle, our_style
from vestigo.show.figures.causes import causes
from vestigo.show.figures.front import called, front
from vestigo.show.figures.heat import heat
from vestigo.show.figures.sizes import size_curves
from vestigo.show.figures.worth import worth

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def page(candidates: Sweep, pick: Pick, curves: Sequence[SizeCurve], today: Outcome) -> "Sequence[Axes]":
    """A page of four: the front, all sizes, today's misses, and what each change is worth if a search found the pick,
    or else the two rules that vary and matter most.
    """
    import matplotlib.pyplot as plt

    now, then = (pick.amount_text(pick.value(one)) for one in (candidates.today, pick.candidate))
    with our_style():
        figure, axes = plt.subplots(2, 2, figsize=(12.8, 8), layout="constrained")
        entitle(figure, f"{pick.goal}: {now} today, {then} with {called(pick.candidate)}")
    flat = list(axes.flat)
    front(candidates, pick, flat[0])
    size_curves(curves, flat[1])
    causes(today, flat[2])
    what = pick.aim.best or "fresh_hit_rate"
    pair = _most_telling(candidates, what)
    if pick.proof is not None:
        worth(pick, flat[3])
    elif pair is not None:
        heat(candidates, *pair, what, flat[3])
    else:
        flat[3].set_axis_off()
    return flat


def _most_telling(candidates: Sweep, name: str) -> tuple[str, str] | None:
    """The two rules whose best values lie farthest apart."""
    spread = {}
    for key in dict.fromkeys(key for one in candidates.values() for key in one.changes):
        best: dict[str, float] = {}
        sign = 1 if MEASURES[name].more_is_better else -1
        for one in candidates.values():
            if key in one.changes:
                value = str(one.changes[key])
                best[value] = max(best.get(value, -np.inf), sign * one.measure(name))
        spread[key] = max(best.values()) - min(best.values())
    first, *more = sorted(spread, key=lambda key: -spread[key]) or [""]
    return (first, more[0]) if more else None
