"""What would make the worst moment better, each change replayed alone."""

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

from vestigo.choosing.rehearsing.moments import BadMoment
from vestigo.choosing.rehearsing.rehearsed import Rehearsed
from vestigo.choosing.rehearsing.stage import CALM, Stage
from vestigo.errors import RulesError
from vestigo.explaining.hypotheses.trying import keys_for
from vestigo.explaining.rehearse.rehearsal import Help
from vestigo.rules import Plan
from vestigo.rules.plan_text import rule_text
from vestigo.rules.rules import Rules
from vestigo.rules.vary import Changes

_TRIED = (
    {"overlap": "join"},
    {"jitter": "20%"},
    {"survives_restart": True},
    {"preload": "start"},
    {"serve_stale": "1m"},
    {"serve_on_failure": "10m"},
    {"keep_failures": "5s"},
)
"""Rules that may help, each for all look-ups."""
RunAll = Callable[..., Iterator[Any]]
"""Runs a function for each of some arguments, side by side."""


def could_help(plan: Plan, lookups: tuple[str, ...]) -> Iterator[tuple[str, Changes, Plan]]:
    """Each change in words, by dotted key, and the plan with it. Those that the plan has, or cannot have, are left
    out.
    """
    for stated in _TRIED:
        (rule, value), *_ = stated.items()
        wanted = Rules.read(rule, value)
        fitting = [name for name in lookups if _fits(plan, name, rule, value, wanted)]
        changes = keys_for(plan, stated, fitting, lookups)
        if not fitting:
            continue
        try:
            yield f"{rule} = {rule_text(rule, wanted)}", changes, plan.changed(changes)
        except RulesError:
            continue
    yield from _more_places(plan)


def _fits(plan: Plan, lookup: str, rule: str, value: object, wanted: object) -> bool:
    """Whether a look-up does not have it yet, and can have it."""
    rules = plan.rules_for(lookup)
    if getattr(rules, rule) == wanted or (rules.differs(rule) and not isinstance(wanted, (bool, str))):
        return False
    try:
        rules.model_copy(update={rule: value})
    except RulesError:
        return False
    return True


def _more_places(plan: Plan) -> Iterator[tuple[str, Changes, Plan]]:
    """Twice the places, at all origins that have only so many."""
    every = {"origin": plan.origin, **{f"origin.{name}": one for name, one in plan.origins.items()}}
    changes = {f"{key}.at_once": 2 * one.at_once for key, one in every.items() if one.at_once is not None}
    if not changes:
        return

    def doubled(one: object) -> object:
        return one.model_copy(update={"at_once": 2 * one.at_once}) if one.at_once else one  # type: ignore[attr-defined]

    origins = {name: doubled(one) for name, one in plan.origins.items()}
    words = ", ".join(f"{key} = {value:,}" for key, value in changes.items())
    yield words, changes, replace(plan, origin=doubled(plan.origin), origins=origins)  # type: ignore[arg-type]


def helps(stage: Stage, plan: Plan, moment: BadMoment, now: Rehearsed, run_all: RunAll) -> list[Help]:
    """The changes with which a moment is less bad than it is now, the best first."""

    def replayed(one: tuple[str, Changes, Plan]) -> Help:
        what, changes, changed = one
        calm, found = stage.replayed(changed, CALM), stage.replayed(changed, moment)
        return Help(what, changes, stage.told(now.settings, moment, found, calm))

    found = run_all(replayed, could_help(stage.set(plan), stage.trace.lookups))
    return sorted((one for one in found if one.then.suffering < now.suffering), key=lambda one: one.then.suffering)
