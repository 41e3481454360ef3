"""Likely mistakes. Each kind has a function that looks for it, and is listed in the `ALL` of its file.

lifetimes  too short, too long, of the wrong kind, all at once
room       limits and policies
values     nulls, writes, nodes, scopes
origin     loads that need not be, look-ups that need no cache
keys       patterns that match nothing, doubts of the survey
"""

from collections.abc import Iterator

from vestigo.explaining.check.facts import Facts
from vestigo.explaining.check.mistakes import keys, lifetimes, origin, room, values
from vestigo.explaining.check.mistakes.suspicion import Judged, Suspicion

__all__ = ["Judged", "Suspicion", "suspicions"]

_OF_A_LOOKUP = (*lifetimes.ALL, *room.ALL, *values.ALL, *origin.ALL, *keys.ALL)


def suspicions(facts: Facts) -> Iterator[Suspicion]:
    """All suspicions, which replays have to judge. Look-ups that share a rule or a room are looked at one by one."""
    yield from lifetimes.beyond_the_trace(facts)
    yield from room.never_reached(facts)
    for of in facts.lookups():
        for look in _OF_A_LOOKUP:
            yield from look(of)
