"""Figures take Matplotlib Axes and return them. Without axes, each draws on a new figure. `choice` and `survey` are
whole pages, which return the axes of their figures.
"""

from vestigo.show.figures.causes import causes
from vestigo.show.figures.choice import page as choice
from vestigo.show.figures.drifted import drift
from vestigo.show.figures.front import front
from vestigo.show.figures.heat import heat
from vestigo.show.figures.key_story import story
from vestigo.show.figures.overview import activity, origin_time, popularity, reuse_times
from vestigo.show.figures.overview import page as survey
from vestigo.show.figures.rehearsal import rehearsal
from vestigo.show.figures.sizes import size_curves
from vestigo.show.figures.timeline import timeline
from vestigo.show.figures.worth import worth

__all__ = [
    "activity",
    "causes",
    "choice",
    "drift",
    "front",
    "heat",
    "origin_time",
    "popularity",
    "rehearsal",
    "reuse_times",
    "size_curves",
    "story",
    "survey",
    "timeline",
    "worth",
]


def __dir__() -> list[str]:
    return __all__
