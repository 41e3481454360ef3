"""A plan: the rules of each look-up, and named alternatives to them."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from datetime import timedelta
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, Literal, NamedTuple, TypeVar

from vestigo.arguments import path_of
from vestigo.data import Named, Told, can_be_kept
from vestigo.errors import RulesError, rules_error, unknown
from vestigo.files import write_text
from vestigo.rules.aim import Aim
from vestigo.rules.counter_names import CounterNames
from vestigo.rules.layers import laid_over
from vestigo.rules.origin import Origin
from vestigo.rules.plan_fits import problems_of_keys, problems_of_origins, problems_of_pools, problems_of_vary
from vestigo.rules.plan_parts import Parts, Problem, frozen
from vestigo.rules.plan_text import plan_text
from vestigo.rules.pool import Pool, PoolRules
from vestigo.rules.rules import Rules
from vestigo.rules.stated import Stated
from vestigo.rules.vary import ANY, Changes, by_table, place_of
from vestigo.rules.what_if import WhatIf
from vestigo.trace import Intake
from vestigo.units import Duration, counted

if TYPE_CHECKING:
    import pandas as pd

CIRCUMSTANCES = ("warm_up", "what_if", "origin", "origins")
"""Parts that a candidate cannot have for itself, because all settings are replayed with the same."""
_READ = ("rules", "pools", "warm_up", "trace_path", "intake", "what_if", "vary", "aim", "counters", "origin", "origins")
"""Parts that are read as they stand. What is wrong with them is said in this order."""
_OF_THE_PLAN = ("candidates", "vary", "aim", "counters", "intake", "trace_path", *CIRCUMSTANCES)
"""Parts that a candidate cannot have for itself."""


@can_be_kept
class Called(NamedTuple):
    """What outputs call the settings of a plan: today's, unless others were stated over them for this call."""

    stated: str = ""
    """What was stated, such as ``plan.toml with absolute = 1h``."""
    is_nothing: bool = False
    """Whether nobody stated any settings: everything is kept, and nothing expires."""

    @property
    def words(self) -> str:
        if self.is_nothing:
            return "a cache without any rules"
        return f"these settings ({self.stated})" if self.stated else "today's settings"

    @property
    def short(self) -> str:
        return "no rules" if self.is_nothing else "these settings" if self.stated else "today"


Engine = Literal["native", "reference"]
"""The two engines give the same counts: ``native`` is fast, ``reference`` is plain Python that you can read, and runs
your own policies and conditions."""

Layer = Rules | Mapping[str, object]
"""What is stated of a look-up, or of some of its keys."""

_Settings = TypeVar("_Settings", Rules, Pool)


def _made_again(parts: Told) -> "Plan":
    return Plan(**parts)


@dataclass(frozen=True, repr=False)
class Plan(Named):
    """Today's settings and the candidates for better ones.

    `rules` hold for every look-up, except where `lookups` states something else for it. A candidate is a plan of its
    own, or `Rules` for every look-up. `warm_up` is what is replayed before counting begins: a duration, or a number of
    reads. Mappings of rules, pools, circumstances and the like may stand in place of their classes.

    All parts are checked, each against the others. Raises RulesError with everything that is wrong.

    >>> plan = Plan(Rules(max_entries=500, absolute="1h"), lookups={"vessel": {"max_entries": 50}})
    >>> plan.rules_for("vessel"), plan.rules_for("berth").max_entries
    (Rules(max_entries=50, absolute='1h'), 500)
    """

    rules: Rules = Rules()
    lookups: Mapping[str, Layer] = field(default_factory=dict)
    """What is stated for single look-ups: `Rules` (only what was given when they were made), or a mapping."""
    keys: Mapping[str, Mapping[str, Layer]] = field(default_factory=dict)
    """What is stated for keys, by look-up and pattern (``{"chart": {"14/{...}": {"absolute": "2h"}}}``). If several
    patterns match a key, the first one counts.
    """
    pools: Mapping[str, Pool] = field(default_factory=dict)
    """Room that several look-ups share. Every other look-up has its own room."""
    candidates: Mapping[str, "Plan"] = field(default_factory=dict)
    warm_up: Duration | int = Duration(0)
    trace_path: Path | None = None
    intake: Intake = Intake()
    """What the columns of the trace's file mean."""
    what_if: WhatIf = WhatIf()
    """Circumstances that are to differ from the trace."""
    origin: Origin = Origin()
    """How many calls the origin answers at once, and its bad days. Unless stated, it answers any number, always."""
    origins: Mapping[str, Origin] = field(default_factory=dict)
    """Origins of their own for some look-ups."""
    vary: Mapping[str, Sequence[Any]] = field(default_factory=dict)
    """Values by dotted key (``"lookup.vessel.max_entries"``). A sweep tries every combination of them. With keys such
    as ``"each.max_entries"``, or ``"any"`` in place of values, a search sets each look-up by itself.
    """
    aim: Aim = Aim()
    """What `Sweep.choose` makes best, and within which limits."""
    counters: CounterNames = CounterNames()
    """Which counters of the running service mean what."""
    called: Called = field(default=Called(), compare=False)
    """What outputs call these settings."""
    engine: Engine = field(default="native", compare=False)
    """Which engine replays the settings; calls that replay them state it."""

    _rules_for: Mapping[str, Rules] = field(init=False, repr=False, compare=False)
    _rules_for_keys: Mapping[str, Mapping[str, Rules]] = field(init=False, repr=False, compare=False)

    if TYPE_CHECKING:

        def __init__(  # noqa: PLR0913, PLR0917  # a part each
            self,
            rules: Layer = ...,
            lookups: Mapping[str, Layer] = ...,
            keys: Mapping[str, Mapping[str, Layer]] = ...,
            pools: Mapping[str, Pool | Mapping[str, object]] = ...,
            candidates: Mapping[str, "Plan | Layer"] = ...,
            warm_up: str | timedelta | int | None = ...,
            trace_path: str | Path | None = ...,
            intake: Intake | Mapping[str, object] = ...,
            what_if: WhatIf | Mapping[str, object] = ...,
            origin: Origin | Mapping[str, object] = ...,
            origins: Mapping[str, Origin | Mapping[str, object]] = ...,
            vary: Mapping[str, Iterable[object]] = ...,
            aim: Aim | Mapping[str, object] = ...,
            counters: CounterNames | Mapping[str, object] = ...,
            called: Called = ...,
            engine: "Engine" = ...,
        ) -> None: ...

    def __post_init__(self) -> None:
        parts = Parts()
        layers, key_layers = parts.layers(self.lookups), parts.key_layers(self.keys)
        for name in _READ:
            object.__setattr__(self, name, getattr(parts, name)(getattr(self, name)))
        object.__setattr__(self, "candidates", frozen(dict(self._read_candidates(parts))))
        laid = laid_over(self.rules, layers, key_layers, parts)
        object.__setattr__(self, "lookups", laid.lookups)
        object.__setattr__(self, "keys", laid.keys)
        object.__setattr__(self, "_rules_for", laid.rules_for)
        object.__setattr__(self, "_rules_for_keys", laid.rules_for_keys)
        if not parts.problems:
            parts.problems += problems_of_pools(self.pools, self.rules, self.rules_for)
            parts.problems += [*problems_of_keys(key_layers), *problems_of_origins(self.origin, self.origins)]
            parts.problems += self._problems_of_candidates()
        if not parts.problems:
            parts.problems += problems_of_vary(self.vary, self.changed)
        object.__setattr__(self, "candidates", frozen({name: one._alone() for name, one in self.candidates.items()}))
        if found := parts.problems:
            raise rules_error([f"{_written(where)}: {problem}" for where, problem in found], by_place=found)

    def _read_candidates(self, parts: Parts) -> Iterator[tuple[str, "Plan"]]:
        given = parts.named(self.candidates, "candidate", "candidates")
        parts.names_of_candidates(given)
        for name, one in given.items():
            try:
                yield name, self._candidate(one)
            except RulesError as error:
                for where, problem in error.by_place or [((), str(error))]:
                    parts.wrong(("candidate", name, *where), problem)

    @classmethod
    def _candidate(cls, given: Any) -> "Plan":
        """A mapping is a plan's parts if it names one of them, and rules otherwise."""
        if isinstance(given, cls):
            return given
        has_parts = isinstance(given, Mapping) and any(part.name in given for part in fields(cls) if part.init)
        return cls(**given) if has_parts else cls(given)

    def _alone(self) -> "Plan":
        """What a candidate states for itself; the rest is the plan's, which is the same."""
        usual = {part: self._nothing(part) for part in _OF_THE_PLAN}
        return self if all(getattr(self, part) == value for part, value in usual.items()) else replace(self, **usual)

    def value_at(self, key: str) -> object:
        """What a rule is at a dotted key, as a plan file has it.

        >>> Plan(Rules(max_entries=5), {"chart": {"absolute": "1h"}}).value_at("lookup.chart.absolute")
        '1h'
        """
        table, name, rule = place_of(key)
        settings: PoolRules = self.rules if table == "rules" else self.rules_for(name)
        if table == "pool":
            settings = self.pools[name]
        return settings.written(rule, getattr(settings, rule))

    def changed(self, changes: Changes) -> "Plan":
        """The plan with other values by dotted key, and without candidates and what varies.

        A change of ``rules`` reaches every look-up and key that does not state the rule itself. Raises RulesError for
        values that mean nothing, and UnknownName for a key that names no rule.

        >>> Plan(Rules(max_entries=5)).changed({"rules.max_entries": 9}).rules
        Rules(max_entries=9)
        """
        tables = by_table(changes, self.pools)
        of_lookups = {name: each for (table, name), each in tables.items() if table == "lookup"}
        lookups = {
            name: {**Stated.by(self.lookups.get(name, {})), **of_lookups.get(name, {})}
            for name in [*self.lookups, *of_lookups]
        }
        pools = {name: _remade(pool, tables.get(("pool", name), {})) for name, pool in self.pools.items()}
        rules = _remade(self.rules, tables.get(("rules", ""), {}))
        return replace(self, rules=rules, lookups=lookups, pools=pools, candidates={}, vary={})

    def rules_for(self, lookup: str) -> Rules:
        """The rules that hold for a look-up."""
        return self._rules_for.get(lookup, self.rules)

    def rules_for_keys(self, lookup: str) -> Mapping[str, Rules]:
        """The rules for keys of a look-up, by pattern. The first pattern that matches a key counts."""
        return self._rules_for_keys.get(lookup, {})

    def pool_for(self, lookup: str) -> str | None:
        """The shared pool of a look-up, if it has one."""
        return next((name for name, pool in self.pools.items() if lookup in pool.lookups), None)

    def pool_rules(self, lookup: str) -> PoolRules:
        """The rules of the pool in which a look-up's entries are."""
        shared = self.pool_for(lookup)
        return self.rules_for(lookup) if shared is None else self.pools[shared]

    def origin_for(self, lookup: str) -> tuple[str, Origin] | None:
        """The origin of a look-up, with its name, if anything is stated of it. The one for all has no name."""
        named = next((one for one in self.origins.items() if lookup in one[1].lookups), None)
        return named or (("", self.origin) if self.origin else None)

    def under(self, other: "Plan") -> "Plan":
        """The same settings in the circumstances of another plan, and by its engine."""
        return replace(self, **{part: getattr(other, part) for part in CIRCUMSTANCES}, engine=other.engine)

    def beside(self, others: Mapping[str, "Plan"]) -> "Plan":
        """The plan with the settings of others as further candidates, whatever else those state.

        Raises RulesError for a name that a candidate has.

        >>> list(Plan(candidates={"long": Rules()}).beside({"picked": Plan(Rules(max_entries=9))}).candidates)
        ['long', 'picked']
        """
        if taken := [name for name in others if name in self.candidates]:
            raise RulesError([f"{name!r} is a candidate of the plan already; choose another name" for name in taken])
        alone = {name: other._alone() for name, other in others.items()}
        return replace(self, candidates={**self.candidates, **alone})

    def all_rules(self) -> Iterator[Rules]:
        """All `Rules` in the plan, those of candidates included."""
        for one in self.candidates.values():
            yield from one.all_rules()
        yield self.rules
        yield from self._rules_for.values()
        for each in self._rules_for_keys.values():
            yield from each.values()

    def __reduce__(self) -> tuple[object, ...]:
        def plain(value: object) -> object:
            return {name: plain(one) for name, one in value.items()} if isinstance(value, MappingProxyType) else value

        return _made_again, ({one.name: plain(getattr(self, one.name)) for one in fields(self) if one.init},)

    def to_dict(self) -> Told:
        """All that the plan states, as plain data. What is usual is left out, but for what is replayed."""
        others = {
            "trace_path": None if self.trace_path is None else str(self.trace_path),
            "intake": self.intake.to_dict(),
            "vary": {key: values if values == ANY else list(values) for key, values in self.vary.items()},
            "aim": self.aim.to_dict(),
            "counters": self.counters.to_dict(),
            "candidates": {name: one.replayed_to_dict() for name, one in self.candidates.items()},
        }
        return self.replayed_to_dict() | {name: value for name, value in others.items() if value}

    def replayed_to_dict(self) -> dict[str, object]:
        """What is replayed, as plain data: rules, pools, warm-up, and circumstances that differ from the trace."""
        return {
            "rules": self.rules.to_dict(),
            "lookups": {name: Stated.by(stated).to_dict() for name, stated in self.lookups.items()},
            "keys": {
                name: [[pattern, Stated.by(stated).to_dict()] for pattern, stated in each.items()]
                for name, each in self.keys.items()
                if each
            },
            "pools": {name: pool.to_dict() for name, pool in self.pools.items()},
            "warm_up": self.warm_up if self.warm_up and type(self.warm_up) is int else str(Duration(self.warm_up)),
            "what_if": self.what_if.to_dict(),
        } | self._origins_to_dict()

    def _origins_to_dict(self) -> dict[str, object]:
        """Nothing if no origin is stated."""
        origins = {
            "origin": self.origin.to_dict(),
            "origins": {name: one.to_dict() for name, one in self.origins.items()},
        }
        return {name: stated for name, stated in origins.items() if stated}

    @classmethod
    def from_dict(cls, stated: Told) -> "Plan":
        """The plan from the data of `to_dict`, or of `replayed_to_dict`."""
        return cls(
            **{
                **stated,
                "keys": {name: dict(each) for name, each in stated["keys"].items()},
                "aim": Aim.from_dict(stated.get("aim", {})),
                "candidates": {name: cls.from_dict(one) for name, one in stated.get("candidates", {}).items()},
            }
        )

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each look-up that states rules, and one for every other; a column for each rule that is stated
        anywhere. Values are as a plan file writes them.
        """
        import pandas as pd

        each = {"every other": self.rules, **{name: self.rules_for(name) for name in self.lookups}}
        stated = [rule for rule in Rules.model_fields if any(rules.differs(rule) for rules in each.values())]
        rows = [{rule: rules.written(rule, getattr(rules, rule)) for rule in stated} for rules in each.values()]
        return pd.DataFrame(rows, index=pd.Index(list(each), name="lookup"), columns=stated)

    def write(self, path: str | Path) -> Path:
        """Writes the plan as a plan file, whole or not at all, and returns the path. `read_plan` reads it.

        Raises InputError if it cannot be written, and RulesError if it contains your own code, which no file can hold.
        """
        path = path_of("path", path)
        own = [value for rules in self.all_rules() for value in (rules.eviction, rules.keep_if) if value and value.own]
        if own or any(callable(value) for values in self.vary.values() for value in values):
            raise RulesError(f"{path}: the plan has code of your own, which no file can hold; write it without")
        write_text(path, plan_text(self.to_dict(), path.parent))
        return path

    def unknown_lookups(self, lookups: tuple[str, ...]) -> list[str]:
        """A sentence for every look-up that the plan names but the trace does not have."""
        together = [name for each in (self.pools, self.origins) for one in each.values() for name in one.lookups]
        named = dict.fromkeys([*self.lookups, *self.keys, *together])
        return [
            f"the plan's look-up is not in the trace: {unknown(name, list(lookups))}"
            for name in named
            if name not in lookups
        ]

    def _problems_of_candidates(self) -> Iterator[Problem]:
        for name, one in self.candidates.items():
            for part in _OF_THE_PLAN:
                if getattr(one, part) not in (self._nothing(part), getattr(self, part)):
                    yield ("candidate", name, part), f"{part} is for the plan itself; a candidate has the plan's"

    @classmethod
    def _nothing(cls, part: str) -> Any:
        """What a part is unless stated."""
        about = next(one for one in fields(cls) if one.name == part)
        return about.default_factory() if callable(about.default_factory) else about.default

    def __repr__(self) -> str:
        """What is stated, and how much there is of what is too long for a line."""
        many = {
            "look-up": self.lookups,
            "look-up with rules for keys": self.keys,
            "pool": self.pools,
            "origin": self.origins,
            "candidate": self.candidates,
            "key that varies": self.vary,
        }
        said = [counted(len(each), *_ONE_OR_MORE.get(what, (what,))) for what, each in many.items() if each]
        said += [repr(one) for one in (self.what_if, self.origin, self.aim, self.intake) if one.to_dict()]
        said += [f"warm-up {self.warm_up}"] if self.warm_up else []
        return f"<Plan: {', '.join([repr(self.rules), *said])}>"


_ONE_OR_MORE = {
    "look-up with rules for keys": ("look-up with rules for keys", "look-ups with rules for keys"),
    "key that varies": ("key that varies", "keys that vary"),
}


def _written(where: tuple[str, ...]) -> str:
    return ".".join(part or "''" for part in where)


def _remade(settings: _Settings, changes: Changes) -> _Settings:
    return settings.model_copy(update=changes) if changes else settings
