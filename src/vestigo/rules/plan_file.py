"""Reads a plan file (TOML), and reports all of its problems at once, each with its line."""

import re
import tomllib
from dataclasses import fields
from pathlib import Path
from typing import Any, TypeVar

from vestigo.arguments import path_of
from vestigo.data import Told
from vestigo.errors import PlanError, RulesError
from vestigo.rules import conditions, values
from vestigo.rules.aim import Aim
from vestigo.rules.counter_names import CounterNames
from vestigo.rules.origin import Origin
from vestigo.rules.plan import Plan
from vestigo.rules.plan_tables import Found, Place, Table, Tables
from vestigo.rules.plan_text import FROM_SCRATCH
from vestigo.rules.pool import Pool
from vestigo.rules.rules import Rules
from vestigo.rules.stated import Stated
from vestigo.rules.vary import ANY
from vestigo.rules.what_if import WhatIf
from vestigo.trace import Intake
from vestigo.trace.reading.intake import problems
from vestigo.units import Duration

_TABLES = ["trace", "rules", "lookup", "pool", "candidate", "whatif", "origin", "vary", "aim", "worth", "counters"]
_OF_A_CANDIDATE = ["rules", "lookup", "pool", FROM_SCRATCH]
_INTAKE = [option.name for option in fields(Intake)]

_Kind = TypeVar("_Kind", Pool, WhatIf, Origin, CounterNames)


def read_plan(path: str | Path) -> Plan:
    """The plan in a TOML file with ``[trace]``, ``[rules]``, ``[lookup.*]``, ``[pool.*]``, ``[whatif]``,
    ``[origin]``, ``[candidate.*]``, ``[vary]``, ``[aim]``, ``[worth]`` and ``[counters]``.

    Raises PlanError, which names every problem with its line. A relative ``trace.path`` starts at the plan's own
    folder.
    """
    path = path_of("path", path)
    if path.suffix == ".json":
        raise PlanError(f"{path}: is not a plan file, which is TOML; read what vestigo.save wrote with vestigo.load")
    try:
        text = path.read_bytes().decode()
        tables = tomllib.loads(text)
    except OSError as error:
        raise PlanError(f"{path}: cannot be read: {error.strerror}") from None
    except UnicodeDecodeError:
        raise PlanError(f"{path}: is not UTF-8 text; a plan is a TOML file") from None
    except tomllib.TOMLDecodeError as error:
        raise PlanError(f"{path}: is not valid TOML: {error}") from None
    return _Reader(path, text).plan(tables)


class _Reader(Tables):
    """Builds a plan from tables, and collects problems on the way."""

    def __init__(self, path: Path, text: str) -> None:
        super().__init__(text)
        self.path = path
        self.places_of_vary: dict[str, Place] = {}

    def plan(self, tables: Table) -> Plan:
        self.known((), tables, _TABLES)
        trace = self.table((), "trace", tables)
        self.known(("trace",), trace, ["path", "warm_up", *_INTAKE])
        warm_up = self.warm_up(trace)
        settings = self.settings((), tables)
        candidates = {
            name: self.candidate(name, table, tables) for name, table in self.subtables((), "candidate", tables)
        }
        trace_path = self.trace_path(trace)
        intake = self.intake(trace)
        plan = self.made(
            (),
            candidates=candidates,
            warm_up=warm_up,
            trace_path=trace_path,
            intake=intake,
            what_if=self.table_of(WhatIf, "whatif", tables) or WhatIf(),
            counters=self.table_of(CounterNames, "counters", tables) or CounterNames(),
            **self.origins(tables),
            aim=self.aim(tables),
            vary=self.vary(tables),
            **settings,
        )
        if self.problems:
            raise PlanError([f"{self.path}, line {line}: {problem}" for line, problem in sorted(set(self.problems))])
        return plan

    def made(self, where: Place, **parts: Any) -> Plan:
        try:
            return Plan(**parts)
        except RulesError as error:
            for place, problem in error.by_place:
                of_vary = place[0] == "vary" and len(place) > 1
                self.wrong(self.places_of_vary[place[1]] if of_vary else self.stated(where, place), problem)
            return Plan()

    def candidate(self, name: str, table: Table, tables: Table) -> Plan:
        """A candidate, which builds on the plan's own settings unless it says otherwise."""
        where = ("candidate", name)
        self.known(where, table, _OF_A_CANDIDATE)
        from_scratch = table.get(FROM_SCRATCH, False)
        if not isinstance(from_scratch, bool):
            self.wrong((*where, FROM_SCRATCH), f"{from_scratch!r} is not true or false")
        return self.made(where, **self.settings(where, table, base={} if from_scratch is True else tables))

    def settings(self, where: Place, tables: Table, base: Table | None = None) -> Told:
        """Rules for all, for single look-ups and for single keys, and pools: those of `tables` put over those of
        `base`.
        """
        sources = ((where, tables), ((), base or {}))

        def stated(*path: str) -> Found:
            return self.layers(*((place, source, path) for place, source in sources))

        def names(*path: str) -> dict[str, None]:
            return dict.fromkeys(
                name for place, source in sources for name, _ in self.subtables_at(place, path, source)
            )

        common = stated("rules")
        own = {name: stated("lookup", name) for name in names("lookup")}
        of_keys = {name: names("lookup", name, "keys") for name in own}
        for rules in own.values():
            rules.pop("keys", None)
        pools = {name: self.pool(name, stated("pool", name)) for name in names("pool")}
        return {
            "rules": self.rules(common),
            "lookups": {name: self.layer(common, own[name]) for name in own},
            "keys": {
                name: {
                    pattern: self.layer({**common, **own[name]}, stated("lookup", name, "keys", pattern))
                    for pattern in patterns
                    if self.is_pattern(name, pattern)
                }
                for name, patterns in of_keys.items()
                if patterns
            },
            "pools": {name: pool for name, pool in pools.items() if pool is not None},
        }

    def is_pattern(self, lookup: str, text: str) -> bool:
        try:
            conditions.pattern(text)
        except ValueError as error:
            self.wrong(("lookup", lookup, "keys", text), str(error))
            return False
        return True

    def pool(self, name: str, found: Found) -> Pool | None:
        return self.checked(Pool, {key: value for key, (value, _) in found.items()}, ("pool", name), found)

    def origins(self, tables: Table) -> Told:
        """The origin of all look-ups, and those that have a name: the tables within its own."""
        table = self.table((), "origin", tables)
        names = [name for name, value in table.items() if isinstance(value, dict)]
        common = {key: value for key, value in table.items() if key not in names}
        named = {name: self.table_of(Origin, name, table, ("origin",)) for name in names}
        of_all = self.table_of(Origin, "origin", {"origin": common})
        return {
            "origin": Origin() if of_all is None else of_all,
            "origins": {name: one for name, one in named.items() if one is not None},
        }

    def table_of(self, kind: type[_Kind], name: str, tables: Table, where: Place = ()) -> _Kind | None:
        """What is stated in a table of its own. None if something is wrong with it."""
        table, where = self.table(where, name, tables), (*where, name)
        places: Found = {key: (value, (*where, key)) for key, value in table.items()}
        return self.checked(kind, table, where, places)

    def vary(self, tables: Table) -> dict[str, list[object] | str]:
        """The values that vary. The plan tries each alone, but only if nothing else is wrong with it."""
        varied: dict[str, list[object] | str] = {}
        for path, values_ in self.leaves((), self.table((), "vary", tables)):
            if values_ != ANY and (not isinstance(values_, list) or not values_):
                problem = f'{values_!r} is not a list of values; write [250, 500], for example, or "any"'
                self.wrong(("vary", *path), problem)
                continue
            key = ".".join(path)
            varied[key] = values_
            self.places_of_vary[key] = ("vary", *path)
        return {} if self.problems else varied

    def aim(self, tables: Table) -> Aim:
        leaves = list(self.leaves((), self.table((), "aim", tables)))
        stated = {".".join(path): value for path, value in leaves}
        places = {".".join(path): ("aim", *path) for path, _ in leaves}
        words = {word: stated.pop(word) for word in ("most", "least", "of") if word in stated}
        worth = self.table((), "worth", tables)
        try:
            return Aim(**words, limits=stated, worth=worth or None)  # type: ignore[arg-type]
        except RulesError as error:
            for key, problem in error.by_rule:
                _, of_worth, price = key.partition("worth.")
                self.wrong(
                    ("worth", price) if of_worth else ("worth",) if key == "worth" else places.get(key, ("aim", key)),
                    problem,
                )
            return Aim()

    def checked(
        self,
        kind: type[_Kind],
        given: Table,
        where: Place,
        layered: Found,
    ) -> _Kind | None:
        try:
            return kind(**given)
        except RulesError as error:
            for key, problem in error.by_rule:
                self.wrong(layered[key][1] if key in layered else where, problem)
            return None

    def rules(self, layered: Found) -> Rules:
        try:
            return Rules(**{key: value for key, (value, _) in layered.items()})
        except RulesError as error:
            for key, problem in error.by_rule:
                named = [key] if key in layered else [name for name in layered if re.search(rf"\b{name}\b", problem)]
                where = [layered[name][1] for name in named]
                others = sorted({self.line(place) for place in where} - {self.line(where[-1])}) if where else []
                see = "".join(f" (see line {line}, too)" for line in others)
                self.wrong(where[-1] if where else ("rules",), problem + see)
            wrong = {key for key, _ in error.by_rule}
            right = {key: value for key, value in layered.items() if key not in wrong}
            return self.rules(right) if len(right) < len(layered) else Rules()  # those left may contradict each other

    def layer(self, base: Found, own: Found) -> Stated:
        """What `own` states, checked together with what the layers below state."""
        rules = self.rules({**base, **own})
        return Stated({name: getattr(rules, name) for name in own if name in rules.model_fields_set})

    def warm_up(self, trace: Table) -> Duration | int:
        try:
            return values.warm_up(trace.get("warm_up", "0s"))
        except ValueError as error:
            self.wrong(("trace", "warm_up"), str(error))
            return 0

    def trace_path(self, trace: Table) -> Path | None:
        path = trace.get("path")
        if isinstance(path, str):
            return self.path.parent / path
        if path is not None:
            self.wrong(("trace", "path"), f"{path!r} is not a path; write it in quotes")
        return None

    def intake(self, trace: Table) -> Intake:
        options = {name: trace[name] for name in _INTAKE if name in trace}
        found = problems(options)
        for key, problem in found:
            self.wrong(("trace", *key), problem)
        return Intake() if found else Intake(**options)
