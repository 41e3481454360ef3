"""Reads the parts of a plan as a call or a file gives them, and says of each what is wrong with it."""

import re
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any, TypeVar

from vestigo.arguments import is_by_name, several, shown
from vestigo.errors import RulesError
from vestigo.rules.aim import Aim
from vestigo.rules.conditions import pattern
from vestigo.rules.counter_names import CounterNames
from vestigo.rules.origin import Origin
from vestigo.rules.pool import Pool
from vestigo.rules.rules import Rules
from vestigo.rules.stated import Stated
from vestigo.rules.values import warm_up
from vestigo.rules.vary import ANY, plain_values
from vestigo.rules.what_if import WhatIf
from vestigo.trace import Intake
from vestigo.trace.reading.intake import problems as problems_of_intake
from vestigo.units import Duration

NO_CACHE, TODAY, KEEP_ALL, ALWAYS_FRESH = "no cache", "today", "no limits", "no limits, fresh"
"""Names of what candidates are compared with."""
_TAKEN = (NO_CACHE, TODAY, KEEP_ALL, ALWAYS_FRESH)
_NUMBER = re.compile(r"#\d+")
"""How tables name a candidate whose own name is long."""

Problem = tuple[tuple[str, ...], str]
"""Where in a plan, and a sentence."""

_Kind = TypeVar("_Kind", Rules, Pool, WhatIf, Origin, CounterNames)


def frozen(mapping: Mapping[str, object]) -> Mapping[str, Any]:
    return MappingProxyType(dict(mapping))


class Parts:
    """Reads parts, and collects problems on the way. What is wrong is read as if it had not been stated."""

    def __init__(self) -> None:
        self.problems: list[Problem] = []

    def wrong(self, where: tuple[str, ...], problem: str) -> None:
        self.problems.append((where, problem))

    def rules(self, given: object) -> Rules:
        return self._made(Rules, given, ("rules",), "give Rules(max_entries=500), for example") or Rules()

    def pools(self, given: object) -> Mapping[str, Pool]:
        return self._named(Pool, given, "pool", "give Pool(lookups=[...], max_bytes=...)")

    def origin(self, given: object) -> Origin:
        made = self._made(Origin, given, ("origin",), "give Origin(at_once=20), for example")
        return Origin() if made is None else made

    def origins(self, given: object) -> Mapping[str, Origin]:
        return self._named(Origin, given, "origin", "give Origin(lookups=[...], at_once=...)")

    def what_if(self, given: object) -> WhatIf:
        return self._made(WhatIf, given, ("whatif",), "give WhatIf(nodes=4), for example") or WhatIf()

    def counters(self, given: object) -> CounterNames:
        return self._made(CounterNames, given, ("counters",), "give CounterNames(hits=...)") or CounterNames()

    def layers(self, given: object) -> dict[str, Stated]:
        """What is stated of single look-ups, not checked yet."""
        return {
            name: self._layer(layer, ("lookup", name)) for name, layer in self.named(given, "lookup", "lookups").items()
        }

    def key_layers(self, given: object) -> dict[str, dict[str, Stated]]:
        """What is stated of keys, by look-up and pattern, not checked yet."""
        layers: dict[str, dict[str, Stated]] = {}
        for name, patterns in self.named(given, "lookup", "keys").items():
            layers[name] = {}
            for text, layer in self.named(patterns, "lookup", "keys").items():
                where = ("lookup", name, "keys", text)
                try:
                    layers[name][pattern(text)] = self._layer(layer, where)
                except ValueError as error:
                    self.wrong(where, str(error))
        return layers

    def warm_up(self, given: object) -> Duration | int:
        try:
            return warm_up(given)
        except ValueError as error:
            self.wrong(("warm_up",), str(error))
            return 0

    def trace_path(self, given: object) -> Path | None:
        if given is None or (isinstance(given, (str, Path)) and str(given)):
            return None if given is None else Path(given)
        self.wrong(("trace", "path"), f"{shown(given)} is not a path; write it in quotes")
        return None

    def intake(self, given: object) -> Intake:
        if isinstance(given, Intake):
            return given
        if not isinstance(given, Mapping):
            self.wrong(("trace",), f"{shown(given)} is not an Intake; give Intake(columns=...)")
            return Intake()
        found = problems_of_intake(given)
        for key, problem in found:
            self.wrong(("trace", *key), problem)
        return Intake() if found else Intake(**given)

    def aim(self, given: object) -> Aim:
        if isinstance(given, Aim):
            return given
        if not is_by_name(given):
            self.wrong(("aim",), f'{shown(given)} is not an Aim; give Aim(most="hit_rate"), for example')
            return Aim()
        try:
            return Aim(**given)
        except RulesError as error:
            for name, problem in error.by_rule or [("", one) for one in error.problems]:
                self.wrong(("aim", *([name] if name else [])), problem)
            return Aim()

    def vary(self, given: object) -> Mapping[str, tuple[object, ...] | str]:
        """Lists, arrays and generators as tuples, in which values are as a plan file has them, and ``any``. Whether
        they mean anything is not checked yet.
        """
        varied: dict[str, tuple[object, ...] | str] = {}
        for key, values in self.named(given, "vary", "vary").items():
            if isinstance(values, str) and values == ANY:
                varied[key] = ANY
                continue
            try:
                tried = several(key, values, "[250, 500]")
            except RulesError as error:
                self.wrong(("vary", key), error.problems[0].removeprefix(f"{key}: "))
                continue
            if not tried:
                self.wrong(("vary", key), "no values are given; write [250, 500], for example, or leave it out")
            varied[key] = plain_values(key, tried)
        return frozen(varied)

    def names_of_candidates(self, names: Mapping[str, object]) -> None:
        """Notes every name that is none, or that means something else."""
        for name in names:
            if name in _TAKEN:
                self.wrong(("candidate", name), f"{name!r} names something else that is compared; choose another name")
            elif not name or _NUMBER.fullmatch(name):
                self.wrong(("candidate", name), f"{name!r} does not name a candidate; choose a word or more")

    def named(self, given: object, where: str, what: str) -> dict[str, object]:
        """A mapping whose keys are texts."""
        if not isinstance(given, Mapping):
            self.wrong((where,), f"{shown(given)} is not a mapping of names; write {what}={{NAME: ...}}")
            return {}
        for name in given:
            if not isinstance(name, str):
                self.wrong((where,), f"{shown(name)} is not a name; write it in quotes")
        return {name: value for name, value in given.items() if isinstance(name, str)}

    def _layer(self, given: object, where: tuple[str, ...]) -> Stated:
        if isinstance(given, (Rules, Mapping)):
            return Stated.by(given)
        self.wrong(where, f"{shown(given)} is not rules; give Rules(...), or a mapping such as {{'max_entries': 50}}")
        return Stated({})

    def _named(self, kind: type[_Kind], given: object, where: str, write: str) -> Mapping[str, _Kind]:
        made = {
            name: self._made(kind, one, (where, name), write)
            for name, one in self.named(given, where, f"{where}s").items()
        }
        return frozen({name: one for name, one in made.items() if one is not None})

    def _made(self, kind: type[_Kind], given: object, where: tuple[str, ...], write: str) -> _Kind | None:
        if isinstance(given, kind):
            return given
        if not is_by_name(given):
            self.wrong(where, f"{shown(given)} is not {kind.__name__}; {write}")
            return None
        try:
            return kind(**given)
        except RulesError as error:
            self.problems += [((*where, rule) if rule else where, problem) for rule, problem in error.by_rule]
            return None
