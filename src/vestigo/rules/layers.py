"""The layers of a plan: what is stated for all look-ups, for one, and for some of its keys, laid over each other."""

from collections.abc import Mapping
from typing import NamedTuple

from vestigo.errors import RulesError
from vestigo.rules.plan_parts import Parts, frozen
from vestigo.rules.rules import Rules
from vestigo.rules.stated import Stated


class Laid(NamedTuple):
    """Which rules hold for each look-up, and for its keys by pattern; and what is stated of each."""

    lookups: Mapping[str, Stated]
    keys: Mapping[str, Mapping[str, Stated]]
    rules_for: Mapping[str, Rules]
    rules_for_keys: Mapping[str, Mapping[str, Rules]]


def laid_over(
    rules: Rules, lookups: Mapping[str, Stated], keys: Mapping[str, Mapping[str, Stated]], parts: Parts
) -> Laid:
    """The layers over the rules of all. What is wrong with one is told to `parts`, and it counts as not stated."""

    def laid(stated: Stated, base: Rules, *where: str) -> tuple[Stated, Rules]:
        try:
            over = stated.over(base)
        except RulesError as error:
            for rule, problem in error.by_rule:
                parts.wrong((*where, *([rule] if rule else [])), problem)
            return Stated({}), base
        return stated.read_by(over), over

    of_lookups = {name: laid(layer, rules, "lookup", name) for name, layer in lookups.items()}
    of_keys = {
        name: {
            pattern: laid(layer, of_lookups[name][1] if name in of_lookups else rules, "lookup", name, "keys", pattern)
            for pattern, layer in each.items()
        }
        for name, each in keys.items()
    }
    return Laid(
        frozen({name: stated for name, (stated, _) in of_lookups.items()}),
        frozen({name: frozen({one: stated for one, (stated, _) in each.items()}) for name, each in of_keys.items()}),
        {name: over for name, (_, over) in of_lookups.items()},
        {name: {one: over for one, (_, over) in each.items()} for name, each in of_keys.items()},
    )
