"""``search``: finds a pick as good as that of the whole grid with only a few of its replays."""

import dataclasses
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import NamedTuple

import numpy as np

from vestigo.arguments import path_of, whole_number
from vestigo.choosing.estimate import Estimate
from vestigo.choosing.guess import guessed
from vestigo.choosing.key_sample import KeySample
from vestigo.choosing.pick import Compared, Measured, cost
from vestigo.choosing.run_sweep import SHARE_FOR_REST, sweep
from vestigo.choosing.sweep import Sweep
from vestigo.engine.job import job
from vestigo.engine.what_if import applied
from vestigo.errors import RulesError
from vestigo.progress import Progress, reporting
from vestigo.rules import Aim, Plan
from vestigo.rules.plan import Engine
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.rules.vary import count, name_of
from vestigo.threads import side_by_side
from vestigo.trace import Readable, Trace

_FEWEST = 8
_ROUNDS = 8
_SHARE_TO_BEGIN = 3
_MOST_GUESSED = 20_000

Place = tuple[int, ...]
"""Which value of each key."""
Space = Mapping[str, Sequence[object]]
Find = Callable[[list[Place]], dict[Place, list[float]]]
"""By place: what the aim makes least, the memory, how far it is beyond each limit. No place without meaning."""


def search(  # noqa: PLR0913
    trace: Readable,
    settings: Settings,
    *,
    replays: int | None = None,
    sample: str = "10%",
    results: str | Path | None = None,
    rest: str = SHARE_FOR_REST,
    seed: int = 0,
    engine: Engine = "native",
    progress: Progress | bool | None = None,
) -> Sweep:
    """Replays some of the combinations of what varies (a tenth of them by default), chosen for the plan's aim.

    Some are spread so that each value of each key comes equally often (Latin hypercube: M. D. McKay, R. J. Beckman, W.
    J. Conover, 1979). Then, round by round, it replays those that should be best by what was found so far
    (`vestigo.choosing.guess`), and those that differ from the best in one key. If the `sample` of the keys is less than
    half of the trace and can tell the aim, a first search among estimates finds where to begin, in half the time that
    the replays may take. If a key has more than three values, they are assumed to be in order.

    The sweep has everything that was replayed. See `sweep` for the other arguments. Raises RulesError if nothing
    varies, or for arguments that mean nothing.
    """
    plan = plan_of(settings, engine)
    asked_for = None if replays is None else whole_number("replays", replays, 1)
    rng = np.random.default_rng(whole_number("seed", seed, 0))
    space = plan.vary
    if not space:
        raise RulesError("nothing varies: give the plan's [vary] keys and values")
    trace = trace_of(trace, plan)
    many = min(asked_for or max(count(space) // 10, _FEWEST), count(space))
    first = max(many // _SHARE_TO_BEGIN, 1)
    visited: set[Place] = set()
    replayed: list[int] = []
    with TemporaryDirectory() as folder, reporting(progress) as report:
        kept = path_of("results", results) if results is not None else Path(folder, "results")

        def swept(places: Sequence[Place]) -> Sweep:
            only = [_changes(space, place) for place in places]
            return sweep(trace, plan, results=kept, rest=rest, only=only, engine=engine, progress=report)

        def find(places: list[Place]) -> dict[Place, list[float]]:
            visited.update(places)
            found = swept(places)
            replayed.append(found.replayed)
            names = {place: name_of(_changes(space, place)) for place in places}
            return {place: _amounts(found, plan.aim, found[name]) for place, name in names.items() if name in found}

        guesses = _estimates(trace, plan, sample)
        begin = _spread(space, first, rng)
        if guesses is not None:
            find_sampled, cheaper = guesses
            rough = _narrowed(space, begin, int(many * cheaper / 2), find_sampled, rng)
            begin = _ranked(rough)[:first] or begin
        _narrowed(space, begin, many, find, rng)
        return dataclasses.replace(swept(sorted(visited)), replayed=sum(replayed))


def _narrowed(
    space: Space, begin: list[Place], most_replays: int, find: Find, rng: np.random.Generator
) -> dict[Place, list[float]]:
    """What was found at `most_replays` places. Each round comes nearer to the best."""
    costs_at: dict[Place, list[float]] = {}
    tried: set[Place] = set()
    places = begin
    while places:
        tried |= set(places)
        costs_at |= find(places)
        most = min(max(most_replays // _ROUNDS, 2), most_replays - len(tried))
        places = _next(space, costs_at, tried, most, rng) if most > 0 and costs_at else []
    return costs_at


def _next(
    space: Space,
    costs_at: Mapping[Place, list[float]],
    tried: set[Place],
    most: int,
    rng: np.random.Generator,
) -> list[Place]:
    """The untried places to take next, by source: those that should be best, and neighbours of the best."""
    likely = iter(_likely(space, costs_at, tried, rng))
    near = (place for best in _ranked(costs_at) for place in _neighbours(space, best) if place not in tried)
    chosen: dict[Place, None] = {}
    sources: list[Iterator[Place]] = [near, likely]
    while sources and len(chosen) < most:
        source = sources.pop(0)
        place = next((one for one in source if one not in chosen), None)
        if place is not None:
            chosen[place] = None
            sources.append(source)
    return list(chosen)


def _likely(
    space: Space, costs_at: Mapping[Place, list[float]], tried: set[Place], rng: np.random.Generator
) -> list[Place]:
    """Untried places, with the best guesses first. If there are too many, a random choice of them."""
    values = [len(each) for each in space.values()]
    if count(space) <= _MOST_GUESSED:
        unvisited = np.array(np.unravel_index(np.arange(count(space)), values)).T
    else:
        unvisited = np.column_stack([rng.integers(0, many, _MOST_GUESSED) for many in values])
    amounts = guessed(values, np.array(list(costs_at)), np.array(list(costs_at.values())), unvisited)
    ranked = [tuple(unvisited[row].tolist()) for row in _order(amounts)]
    return [place for place in dict.fromkeys(ranked) if place not in tried]


def _ranked(found: Mapping[Place, list[float]]) -> list[Place]:
    places = list(found)
    return [places[row] for row in _order(np.array(list(found.values())))] if places else []


def _order(amounts: np.ndarray) -> np.ndarray:
    """The order of candidates: by limits first, then by the aim, then by memory."""
    best, memory, *beyond = amounts.T
    return np.lexsort((memory, best, np.maximum(np.max(beyond, axis=0, initial=0.0), 0.0) if beyond else best * 0))


class _Guess(NamedTuple):
    """What a sample tells of settings."""

    amounts: Mapping[str, float]

    def measure(self, name: str, _: str = "whole") -> float:
        return self.amounts[name]


class _Guesses(NamedTuple):
    today: _Guess
    span_ns: int

    def length_ns(self, _: str = "whole") -> int:
        return self.span_ns


def _amounts(compared: Compared, aim: Aim, candidate: Measured) -> list[float]:
    """The amounts by which candidates are ranked."""
    beyond = [
        float(limit.beside(compared.today.measure(limit.name)).beyond(candidate.measure(limit.name)))
        for limit in aim.each_limit
    ]
    return [cost(compared, aim, candidate), candidate.measure("memory_peak"), *beyond]


def _estimates(trace: Trace, plan: Plan, sample: str) -> tuple[Find, float] | None:
    """Estimates of candidates, and how many of them take as long as a replay. None if estimates would not help."""
    estimated = {field.name for field in dataclasses.fields(Estimate)}
    if len(trace) == 0 or not {plan.aim.best or "loads", *(limit.name for limit in plan.aim.each_limit)} <= estimated:
        return None
    on, used = applied(trace, dataclasses.replace(plan, candidates={}, vary={}))
    today = job(on, used)
    sample_ = KeySample(on, sample, samples=1)
    if sample_.share_of_events > 0.5:
        return None
    try:
        amounts = sample_.estimate(used).amounts
    except RulesError:  # a sample cannot tell
        return None
    alone = _Guesses(_Guess(amounts), int(on.at[-1]) - int(on.at[today.first_counted]))

    def estimate(place: Place) -> list[float] | None:
        changes = _changes(plan.vary, place)
        try:
            one = used.changed(changes)
            amounts = sample_.estimate(one).amounts
        except RulesError:  # a sample cannot tell, or it means nothing
            return None
        return _amounts(alone, plan.aim, _Guess(amounts))

    def find(places: list[Place]) -> dict[Place, list[float]]:
        with side_by_side() as threads:
            found = dict(zip(places, threads.map(estimate, places), strict=True))
        return {place: amounts for place, amounts in found.items() if amounts is not None}

    return find, 1 / sample_.share_of_events


def _neighbours(space: Space, place: Place) -> Iterator[Place]:
    """The neighbours of a place. One key is changed: to each other value, or, if there are many, to the values beside
    it.
    """
    for key, values in enumerate(space.values()):
        near = range(len(values)) if len(values) <= 3 else (place[key] - 1, place[key] + 1)
        for value in near:
            if value != place[key] and 0 <= value < len(values):
                yield (*place[:key], value, *place[key + 1 :])


def _spread(space: Space, many: int, rng: np.random.Generator) -> list[Place]:
    columns = [rng.permutation(np.arange(many) % len(values)) for values in space.values()]
    return list(dict.fromkeys(tuple(int(column[row]) for column in columns) for row in range(many)))


def _changes(space: Space, place: Place) -> dict[str, object]:
    return {key: values[value] for (key, values), value in zip(space.items(), place, strict=True)}
