"""``search``: a pick as good as the whole grid's, from few of its replays."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np

from vestigo.errors import RulesError
from vestigo.rules import Plan
from vestigo.rules.vary import count, name_of
from vestigo.study.choose import cost, excesses
from vestigo.study.study import Candidate, Study
from vestigo.study.sweep import SHARE_FOR_REST, Progress, sweep
from vestigo.trace import Trace

_SHARE_TO_BEGIN = 3
_FEWEST = 8

Place = tuple[int, ...]
"""Which value of each key."""


def search(  # noqa: PLR0913
    trace: Trace,
    plan: Plan,
    *,
    budget: int | None = None,
    results: str | Path | None = None,
    rest: float = SHARE_FOR_REST,
    seed: int = 0,
    progress: Progress | None = None,
) -> Study:
    """Replays `budget` of the combinations of what varies (unless said, a tenth), chosen for the plan's aim.

    A third of them are spread so that each value of each key comes equally often (Latin hypercube: M. D. McKay,
    R. J. Beckman, W. J. Conover, 1979). Then those that differ from the best so far in one key are tried, until none is
    better or the budget is spent; then those around the next best. Values of a key are taken to be in order, if there
    are more than three. All that was replayed is in the study; see `sweep` for what else is asked. Raises RulesError if
    nothing varies.
    """
    space = plan.vary
    if not space:
        raise RulesError("nothing varies: give the plan's [vary] keys and values")
    left = min(budget if budget is not None else max(count(space) // 10, _FEWEST), count(space))
    rng = np.random.default_rng(seed)
    tried: set[Place] = set()
    with TemporaryDirectory() as folder:
        kept = Path(results) if results is not None else Path(folder, "results")
        places = _spread(space, max(left // _SHARE_TO_BEGIN, 1), rng)
        while True:
            tried |= set(places)
            left -= len(places)
            asked = [_changes(space, place) for place in sorted(tried)]
            study = sweep(trace, plan, results=kept, rest=rest, only=asked, progress=progress)
            places = _next(study, space, tried)[:left]
            if not places:
                return study


def _next(study: Study, space: Mapping[str, Sequence[Any]], tried: set[Place]) -> list[Place]:
    """Untried neighbours of the best that has some."""
    by_name = {name_of(_changes(space, place)): place for place in tried}
    ranked = sorted((one for one in study.values() if one.name in by_name), key=lambda one: _score(study, one))
    for one in ranked:
        if found := [place for place in _neighbours(space, by_name[one.name]) if place not in tried]:
            return found
    return []


def _score(study: Study, candidate: Candidate) -> tuple[float, float, float]:
    """Limits first, then the aim, then memory; on the time that candidates are ranked on."""
    broken = max((one.share for one in excesses(candidate, study.aim.limits, "first")), default=0.0)
    return broken, cost(study, study.aim, candidate, "first"), candidate.measure("memory_peak", "first")


def _neighbours(space: Mapping[str, Sequence[Any]], place: Place) -> Iterator[Place]:
    """One key changed: to each other value, or, where there are many, to those beside it."""
    for key, values in enumerate(space.values()):
        near = range(len(values)) if len(values) <= 3 else (place[key] - 1, place[key] + 1)
        for value in near:
            if value != place[key] and 0 <= value < len(values):
                yield (*place[:key], value, *place[key + 1 :])


def _spread(space: Mapping[str, Sequence[Any]], many: int, rng: np.random.Generator) -> list[Place]:
    columns = [rng.permutation(np.arange(many) % len(values)) for values in space.values()]
    return list(dict.fromkeys(tuple(int(column[row]) for column in columns) for row in range(many)))


def _changes(space: Mapping[str, Sequence[Any]], place: Place) -> dict[str, Any]:
    return {key: values[value] for (key, values), value in zip(space.items(), place, strict=True)}
