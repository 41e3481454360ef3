"""``Sweep``: what `sweep` and `search` return, with its front and its pick."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from typing import TYPE_CHECKING

from vestigo.arguments import shown, whole_number
from vestigo.choosing.candidates import Candidate, Candidates
from vestigo.choosing.choose import choose
from vestigo.choosing.front import unbeaten
from vestigo.choosing.pick import Pick
from vestigo.choosing.rehearsing.rehearser import Rehearser
from vestigo.data import Told
from vestigo.errors import RulesError
from vestigo.measures import MEASURES
from vestigo.rules import Aim, Worth
from vestigo.rules.vary import place_of
from vestigo.units import counted

if TYPE_CHECKING:
    import pandas as pd

_NOT_KEPT = ("answers", "rehearser")
FRONT = ("hit_rate", "memory_peak", "stale_rate")
"""What a front is about unless something else is asked."""


@dataclass(frozen=True, eq=False, repr=False)
class Sweep(Candidates):
    """Candidates by name, in the order in which they were asked for. The first is today's settings."""

    rehearser: Rehearser | None = field(default=None, compare=False)
    """Rehearses candidates, if an aim limits how bad moments go. What was read back from a file cannot."""

    def to_kept(self) -> Told:
        """What a file holds."""
        return {one.name: getattr(self, one.name) for one in fields(self) if one.name not in _NOT_KEPT}

    def front(self, measures: Sequence[str] = FRONT, part: str = "whole") -> list[Candidate]:
        """The candidates that no other beats, best first. A candidate beats another if it is as good in every measure
        and better in one.

        If candidates are equal in all measures, the first one stands for all.
        """
        return unbeaten(list(self.values()), measures, part)

    def choose(  # noqa: PLR0913  # the words of an aim
        self,
        aim: Aim | None = None,
        *,
        most: str | None = None,
        least: str | None = None,
        limits: Mapping[str, str | Sequence[str]] | None = None,
        worth: Worth | None = None,
        seed: int = 0,
        **more_limits: str | Sequence[str],
    ) -> Pick:
        """The candidate that is best at the plan's aim within its limits.

        An `Aim` takes the place of the plan's. Its words can be given, too: ``choose(most="hit_rate",
        memory_peak="<= 64 MiB")`` names what to make best, and a limit on top of the plan's own. A limit of a measure
        whose name has a dot is given in `limits`: ``limits={"read_time.p95": "<= 20ms"}``. Raises RulesError for words
        that make no aim, UnknownName for an unknown measure, and InputError for an aim that the trace cannot judge.
        """
        if limits is not None and not isinstance(limits, Mapping):
            raise RulesError(f'limits: {shown(limits)} is not limits; write {{"memory_peak": "<= 64 MiB"}}')
        words = most is not None or least is not None or limits or worth is not None or more_limits
        if aim is not None and words:
            raise RulesError("aim: give an Aim, or its words, not both")
        if aim is not None and not isinstance(aim, Aim):
            raise RulesError(f'aim: {shown(aim)} is not an Aim; name what to make best: most="hit_rate", for example')
        if aim is None and words:
            aim = self._aim_of(most, least, worth, {**(limits or {}), **more_limits})
        return self._chosen(aim or self.aim, whole_number("seed", seed, 0))

    def _chosen(self, aim: Aim, seed: int) -> Pick:
        return choose(self, aim, seed, self.rehearser)

    def _aim_of(
        self, most: str | None, least: str | None, worth: Worth | None, limits: Mapping[str, str | Sequence[str]]
    ) -> Aim:
        """The plan's aim with other words, and limits on top of its own."""
        both = {name: _listed(texts) for name, texts in self.aim.limits.items()}
        for name, texts in limits.items():
            both[name] = [*both.get(name, []), *_listed(texts)]
        if most is None and least is None and worth is None:
            most, least, worth = self.aim.most, self.aim.least, self.aim.worth
        return Aim(most, least, both, worth)

    def to_pandas(self, part: str = "whole") -> "pd.DataFrame":
        """One row for each candidate: its short name, the values of what varies, and all measures. Today's settings
        have their own values. Counts are whole numbers.
        """
        import pandas as pd

        varied = dict.fromkeys(key for one in self.values() for key in one.changes)
        rows = [
            {
                "short": f"#{number}",
                **{key: _value(one, key) for key in varied},
                **{name: _amount(one, name, part) for name in MEASURES},
            }
            for number, one in enumerate(self.values())
        ]
        return pd.DataFrame(rows, index=pd.Index(list(self), name="candidate"))

    def to_dict(self) -> Told:
        """The changes and measures of each candidate, and those of no cache and the ceilings."""
        return {
            "candidates": {name: {"changes": dict(one.changes), **one.whole.to_dict()} for name, one in self.items()},
            "references": {name: one.whole.to_dict() for name, one in self.references.items()},
        }

    def __repr__(self) -> str:
        said = "".join(f"; {one}" for one in self.left_out)
        many = f"{counted(len(self), 'candidate')}, {len(self.front()):,} of them on the front"
        return f"<Sweep of {many}; {self.today!r}{said}>"


def _listed(texts: str | Sequence[str]) -> list[str]:
    return list(texts) if isinstance(texts, (list, tuple)) else [texts]  # type: ignore[list-item]  # it is refused


def _value(candidate: Candidate, key: str) -> object:
    """What a candidate has for a dotted key, as a plan file writes it."""
    if key in candidate.changes:
        return candidate.changes[key]
    table, name, rule = place_of(key)
    plan = candidate.plan
    rules = plan.pools[name] if table == "pool" else plan.rules_for(name) if table == "lookup" else plan.rules
    return rules.written(rule, getattr(rules, rule))


def _amount(candidate: Candidate, name: str, part: str) -> float | int:
    amount = candidate.measure(name, part)
    return int(amount) if MEASURES[name].kind == "count" or name == "memory_peak" else amount
