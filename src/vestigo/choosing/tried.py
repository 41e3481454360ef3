"""What a sweep tries: today's settings, the plan's candidates, and combinations of what varies, each once."""

from collections.abc import Hashable, Iterable, Mapping
from dataclasses import dataclass, field, replace

from vestigo.arguments import is_by_name, shown
from vestigo.errors import RulesError, UnknownName
from vestigo.rules import Plan
from vestigo.rules.plan_parts import TODAY
from vestigo.rules.pool import POOL_RULES
from vestigo.rules.vary import Changes, combinations, is_searched, name_of, place_of
from vestigo.units import counted


@dataclass
class Tried:
    """Settings by name, with what they change of today's."""

    settings: dict[str, tuple[Changes, Plan]]
    same: dict[str, str] = field(default_factory=dict)
    """Combinations that are the same settings as another one on this trace, and the name of that one."""
    left_out: list[str] = field(default_factory=list)
    """Sentences on combinations that are not tried, and on values that change nothing."""


def tried(plan: Plan, lookups: tuple[str, ...], only: Iterable[Changes] | None = None) -> Tried:
    """What is tried on a trace with these look-ups. If `only` is given, only these combinations are tried.

    Raises RulesError for an `only` without combinations, and UnknownName for one that changes no setting.
    """
    trials = Tried({TODAY: ({}, replace(plan, candidates={}, vary={}))})
    for name, candidate in plan.candidates.items():
        trials.settings[name] = ({}, candidate.under(plan))
    first = {_on(lookups, trials.settings[TODAY][1]): TODAY}
    contradict: list[str] = []
    for changes in _combinations(plan, only):
        name = name_of(changes)
        try:
            candidate = plan.changed(changes)
        except UnknownName:
            raise
        except RulesError as error:
            contradict.append(f"{name}: {error.problems[0]}")
            continue
        if (other := first.setdefault(_on(lookups, candidate), name)) != name:
            trials.same[name] = other
        else:
            trials.settings.setdefault(name, (changes, candidate))
    trials.left_out = [*_idle(plan, lookups), *_about_same(trials.same), *_about_contradictions(contradict)]
    return trials


def _combinations(plan: Plan, only: Iterable[Changes] | None) -> Iterable[Changes]:
    if only is None:
        return combinations(plan.vary) if plan.vary and not is_searched(plan.vary) else ()
    wanted = list(only) if isinstance(only, Iterable) and not isinstance(only, (str, Mapping)) else [only]
    wrong = [one for one in wanted if not is_by_name(one) or not one]
    if wrong or not wanted:
        given = shown(wrong[0]) if wrong else "an empty list"
        raise RulesError(f'only: {given} is not combinations to try; write [{{"rules.max_entries": 500}}], for example')
    return wanted


def _on(lookups: tuple[str, ...], plan: Plan) -> Hashable:
    """What the settings are on a trace with these look-ups."""
    if not lookups:  # nothing is the same as anything else where nothing happens
        return repr(plan)
    own = [(plan.rules_for(name), *plan.rules_for_keys(name).items(), plan.pool_for(name)) for name in lookups]
    return (*own, *plan.pools.items(), *(name for name in plan.lookups if name not in lookups))


def _idle(plan: Plan, lookups: tuple[str, ...]) -> list[str]:
    """A sentence for each key of what varies that reaches no look-up, because each states that rule itself."""

    def takes_up(lookup: str, rule: str) -> bool:
        stated = rule in plan.lookups.get(lookup, {}) or f"lookup.{lookup}.{rule}" in plan.vary
        return not stated and not (rule in POOL_RULES and plan.pool_for(lookup) is not None)

    keys = [key for key in plan.vary if key.startswith("rules.") and not is_searched(plan.vary)]
    return [
        f"{key} changes nothing: every look-up states {place_of(key)[2]} itself, or shares a pool"
        for key in keys
        if lookups and not any(takes_up(lookup, place_of(key)[2]) for lookup in lookups)
    ]


def _about_same(same: Mapping[str, str]) -> list[str]:
    if not same:
        return []
    name, other = next(iter(same.items()))
    which = f"{name!r} and {other!r}" if len(same) == 1 else f"{name!r} and {other!r}, for example"
    are = "combination is the same as another one" if len(same) == 1 else "combinations are the same as others"
    return [f"{len(same):,} {are} and tried once ({which})"]


def _about_contradictions(contradict: list[str]) -> list[str]:
    if not contradict:
        return []
    many = counted(len(contradict), "combination contradicts itself", "combinations contradict themselves")
    return [f"{many} and {'is' if len(contradict) == 1 else 'are'} left out; the first, {contradict[0]}"]
