"""Likely mistakes. Each kind has a function that looks for it, and is listed in the `ALL` of its file.

lifetimes  too short, too long, of the wrong kind, all at once
room       limits and policies
values     nulls, writes, nodes, scopes
origin     loads that need not be, look-ups that need no cache
keys       patterns that match nothing, doubts of the survey
"""

from dataclasses import replace
from itertools import chain, count

from vestigo.explaining.check.facts import Facts, OfLookup
from vestigo.explaining.check.mistakes import keys, lifetimes, origin, room, values
from vestigo.explaining.check.mistakes.suspicion import Judged, Suspicion
from vestigo.progress import Progress, say_nothing
from vestigo.threads import each_side_by_side

__all__ = ["Judged", "Suspicion", "suspicions"]

_OF_A_LOOKUP = (*lifetimes.ALL, *room.ALL, *values.ALL, *origin.ALL, *keys.ALL)


def suspicions(facts: Facts, progress: Progress = say_nothing) -> list[Suspicion]:
    """All suspicions, which replays have to judge. Look-ups that share a rule or a room are looked at one by one."""
    lookups, done = list(facts.lookups()), count(1)

    def of_lookup(listed: OfLookup) -> list[Suspicion]:
        of = replace(listed)  # what it works out goes away with it
        found = [one for look in _OF_A_LOOKUP for one in look(of)]
        progress("look-ups", next(done), len(lookups))
        return found

    general = [*lifetimes.beyond_the_trace(facts), *room.never_reached(facts)]
    return [*general, *chain.from_iterable(each_side_by_side(of_lookup, lookups))]
