"""What a plan asks a search to find: which rules of which look-ups, among which values."""

from collections.abc import Mapping, Sequence

from vestigo.choosing.finding.facts import Facts
from vestigo.choosing.finding.offers import ALWAYS, Offer, offers_of
from vestigo.choosing.finding.units import Unit
from vestigo.errors import UnknownName, unknown
from vestigo.rules import Plan
from vestigo.rules.vary import ANY, EACH, FINDABLE, place_of

Values = Sequence[object] | str
"""Values to try, or ``any``."""


def rules_asked(plan: Plan, lookup: str) -> dict[str, Values]:
    """The rules that vary for a look-up. What is stated for the look-up goes before what is stated for each."""
    vary = plan.vary or {f"{EACH}.{rule}": ANY for rule in ALWAYS}
    if EACH in vary:
        vary = {**{f"{EACH}.{rule}": ANY for rule in FINDABLE}, **vary}
    pool = plan.pool_for(lookup)
    asked: dict[str, Values] = {}
    for own in (False, True):
        for key, values in vary.items():
            table, name, rule = place_of(key)
            is_here = (table, name) in (("lookup", lookup), ("pool", pool))
            if (is_here and own) or (table == EACH and rule and not own):
                asked[rule] = values
    return asked


def offers_for(
    plan: Plan, units: Sequence[Unit], facts: Mapping[str, Facts], more: Sequence[str] = ()
) -> list[list[Offer]]:
    """What can be set of each unit, with `more` rules than the plan asks for. Raises UnknownName for a look-up that is
    not there.
    """
    problems = [
        f"vary: {key}: the trace has no look-up of that name: {unknown(name, list(facts))}"
        for key in plan.vary
        for table, name, _ in [place_of(key)]
        if table == "lookup" and name not in facts
    ]
    if problems:
        raise UnknownName(problems)
    return [_of_unit(plan, unit, facts, more) for unit in units]


def _of_unit(plan: Plan, unit: Unit, facts: Mapping[str, Facts], more: Sequence[str]) -> list[Offer]:
    """A room that look-ups share is offered once."""
    offers: dict[tuple[str, ...], Offer] = {}
    together = [facts[name] for name in unit.lookups]
    keys, size = sum(one.keys for one in together), sum(one.bytes for one in together)
    for name in unit.lookups:
        asked = {**rules_asked(plan, name), **dict.fromkeys(more, ANY)}
        own = facts[name]._replace(keys=keys, bytes=size) if plan.pool_for(name) else facts[name]
        for offer in offers_of(plan, name, own, asked):
            offers.setdefault(offer.keys, offer)
    return list(offers.values())
