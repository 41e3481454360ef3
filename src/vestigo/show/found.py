"""Shows what a search found besides its pick: the best within less memory, what changes on the clock, and what other
rules would bring.
"""

from collections.abc import Sequence

from rich.console import RenderableType
from rich.text import Text

from vestigo.choosing.choose import settled
from vestigo.choosing.finding.found import Search
from vestigo.choosing.finding.reasons import gain_text
from vestigo.choosing.pick import Pick, goal
from vestigo.measures import MEASURES
from vestigo.show.grid import Column, grid
from vestigo.show.notes import kept_together
from vestigo.show.safe import printable
from vestigo.units import SECOND, format_share, format_span

_NAME = 20
_MOST_LOOKUPS = 3
_MOST_AMOUNTS = 7
"""As many rows as the table of measures beside it mostly has."""


def by_memory(pick: Pick, found: Search) -> list[RenderableType]:
    """The best within ever less memory, if it was looked for with this aim."""
    most = pick.candidate.memory_peak
    less = [found[name] for name in found.by_memory if found[name].memory_peak < most]
    if not less or pick.proof is None or goal(settled(found.aim, found)) != pick.goal:
        return []
    rows = less[:_MOST_AMOUNTS]
    peaks = [MEASURES["memory_peak"].amount_text(one.memory_peak) for one in rows]
    values = [pick.amount_text(pick.value(one)) for one in rows]
    best = f"best {pick.goal if len(pick.goal) < _NAME else 'aim'}"
    return [grid("memory peak", peaks, [Column(best, "", values)], [""] * len(rows))]


def clocks(found: Search) -> list[Text]:
    """Which look-ups change on the clock, and how much of them."""
    said = [
        f"{printable(one.lookup, _NAME)} changes {one.times if one.times.startswith('every') else f'at {one.times}'} "
        f"(UTC), {format_share(one.share)} of it within {format_span(one.window_ns / SECOND)}"
        for one in found.clocks[:_MOST_LOOKUPS]
    ]
    return [kept_together(Text(f"On the clock: {'; '.join(said)}."))] if said else []


def would_bring(pick: Pick, found: Search) -> list[Text]:
    """What to build next."""
    if not found.would_bring or pick.proof is None or pick.aim != settled(found.aim, found):
        return []
    said = [
        f"{one.kind} ({', '.join(one.rules)}) {gain_text(pick, one.gain)}, by {_named(one.lookups)}"
        for one in found.would_bring
    ]
    return [kept_together(Text(f"Rules that were not to be set would bring: {'; '.join(said)}."))]


def _named(lookups: Sequence[str]) -> str:
    named = ", ".join(printable(name, _NAME) for name in lookups[:_MOST_LOOKUPS])
    more = len(lookups) - _MOST_LOOKUPS
    return f"{named} and {more:,} more" if more > 0 else named
