"""Which settings of a unit to try: some to begin with, and then those near to good ones."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import product
from math import prod

from vestigo.choosing.finding.attempts import Attempt, Setting
from vestigo.choosing.finding.offers import Offer

_MOST_LISTED = 300
"""So many combinations of one unit are all tried."""
_FULL = ("max_entries", "max_bytes")


def every(offers: Sequence[Offer], base: Setting) -> list[Setting] | None:
    """All combinations, if they are few."""
    if prod(len(offer.steps) for offer in offers) > _MOST_LISTED:
        return None
    return [_joined(base, values) for values in product(*(offer.ways for offer in offers))]


def first(offers: Sequence[Offer], base: Setting, thrifty: bool) -> Iterator[Setting]:
    """Settings to begin with: today's, and for each look-up long and short lifetimes, each with every way to see
    writes, in unlimited room and in rooms of many sizes. If it is to be `thrifty`, rooms come with one lifetime.
    """
    yield base
    free = _freest(offers, base)
    yield free
    for name in dict.fromkeys(_of(offer) for offer in offers):
        own = [offer for offer in offers if _of(offer) == name]
        by_rule = {offer.rule: offer for offer in own}
        lifetimes = _steps(by_rule, "absolute", 0)
        for both in product(lifetimes, _steps(by_rule, "on_write", 1)):
            yield _joined(free, both)
        for room in _FULL:
            for both in product(_steps(by_rule, room, 0), [{}] if thrifty else lifetimes):
                yield _joined(free, both)
        for values in _steps(by_rule, "sliding", 0):
            yield _joined(free, [values])
        if "keep_if" in by_rule:
            yield from (_joined(base, [values]) for values in by_rule["keep_if"].ways if _keeps_nothing(values))


def near(offers: Sequence[Offer], setting: Setting, level: int, evicts: bool) -> Iterator[Setting]:
    """Settings that differ in one thing. If nothing is evicted, a policy or more room makes no difference. Where
    nothing is kept, nothing else makes one, so that is tried once (`first`).
    """
    idle = {_of(offer) for offer in offers if _keeps_nothing({key: setting[key] for key in offer.keys})}
    for offer in offers:
        if _of(offer) in idle or (offer.rule == "eviction" and not evicts):
            continue
        for values in offer.near(setting, level):
            if not _keeps_nothing(values):
                yield _joined(setting, [values])


def is_used(offer: Offer, attempts: Iterable[Attempt], now: Setting) -> bool:
    """Whether some of the attempts are not as today in this. If not, it has brought nothing yet."""
    return any(attempt.setting[key] != now[key] for attempt in attempts for key in offer.keys)


def _freest(offers: Sequence[Offer], base: Setting) -> Setting:
    """No limit, no expiry, nulls are kept: the last step of each ladder. What is worth keeping is as today, but not
    nothing.
    """
    free = [offer.ways[-1] for offer in offers if offer.is_ordered]
    kept = [way for offer in offers if _keeps_nothing(offer.now) for way in offer.ways if not _keeps_nothing(way)]
    return _joined(base, [*free, *kept[:1]])


def _keeps_nothing(values: Setting) -> bool:
    """Whether a look-up is not cached at all."""
    return any(value == "none" and key.endswith(".keep_if") for key, value in values.items())


def _steps(offers: Mapping[str, Offer], rule: str, level: int) -> list[Setting]:
    return offers[rule].on_level(level) if rule in offers else [{}]


def _of(offer: Offer) -> str:
    return offer.keys[0].rpartition(".")[0]


def _joined(setting: Setting, values: Iterable[Setting]) -> Setting:
    joined = dict(setting)
    for each in values:
        joined |= each
    return joined
