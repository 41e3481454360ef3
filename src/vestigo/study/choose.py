"""``Study.choose``: the best candidate within limits, what the limits cost, and whether it holds on the rest."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, NamedTuple

from vestigo.errors import InputError
from vestigo.rules import Aim, Worth
from vestigo.rules.aim import MEASURES, Limit
from vestigo.study.resample import Resamples

if TYPE_CHECKING:
    from vestigo.study.study import Candidate, Study

MONTH_NS = 365.25 / 12 * 86_400 * 1e9
MONEY = "money a month"


class Excess(NamedTuple):
    """A limit that a candidate breaks, and the amount that breaks it."""

    limit: Limit
    amount: float

    @property
    def share(self) -> float:
        """How far beyond the bound, in parts of it."""
        return self.limit.beyond(self.amount)


class Relaxed(NamedTuple):
    """What a limit costs: the candidate that would be chosen if it were given up as far as that one needs."""

    limit: Limit
    candidate: "Candidate"
    gain: float


@dataclass(frozen=True, eq=False)
class Pick:
    """The chosen candidate with its reasons; or, where none keeps the limits, the one that comes closest."""

    study: "Study"
    aim: Aim
    candidate: "Candidate"
    broken: tuple[Excess, ...]
    """Limits that the candidate breaks: none, or there is no candidate within them."""
    broken_on_rest: tuple[Excess, ...] = ()
    best_on_rest: "Candidate | None" = None
    """Which candidate within the limits is best there."""
    runner_up: "Candidate | None" = None
    ahead: tuple[int, int] | None = None
    """In how many of how many resamples the pick is ahead of the runner-up; None where slices do not tell the aim."""
    intervals: dict[str, tuple[float, float]] = field(default_factory=dict)
    """Of rates over the whole: the middle 95% of resamples."""
    relaxed: tuple[Relaxed, ...] = ()
    cheaper: "Candidate | None" = None
    """The best within the limits that takes less memory."""
    better: "Candidate | None" = None
    """Of those that are better at the aim, the one that breaks limits least."""

    @property
    def is_met(self) -> bool:
        """Whether some candidate keeps the limits."""
        return not self.broken

    @property
    def holds(self) -> bool:
        """Whether the pick keeps the limits on the rest, too, and is no worse there than today's."""
        today = self.study.today
        return not self.broken_on_rest and (
            self.candidate is today or self.cost(self.candidate, "rest") <= self.cost(today, "rest")
        )

    def cost(self, candidate: "Candidate", part: str = "whole") -> float:
        """What the aim makes least: the measure, with its sign turned where more is better, or money."""
        return cost(self.study, self.aim, candidate, part)

    def value(self, candidate: "Candidate", part: str = "whole") -> float:
        """The aim's amount as people know it."""
        return abs(self.cost(candidate, part))

    def write(self, amount: float) -> str:
        """An amount of the aim for people."""
        if self.aim.best is not None:
            return MEASURES[self.aim.best].write(amount)
        currency = self.aim.worth.currency if self.aim.worth else ""
        return f"{amount:,.2f} {currency}".rstrip()

    @property
    def goal(self) -> str:
        return MEASURES[self.aim.best].label if self.aim.best else MONEY

    def to_dict(self) -> dict[str, Any]:
        """The pick's changes and measures, and all that is said of it."""
        from vestigo.study.reasons import details, sentence

        return {
            "name": self.candidate.name,
            "changes": dict(self.candidate.changes),
            "plan": self.candidate.plan.to_dict(),
            "is_met": self.is_met,
            "holds": self.holds,
            "because": [sentence(self), *details(self)],
            **{part: self.candidate.result[part] for part in ("whole", "first", "rest")},
        }

    def __repr__(self) -> str:
        from vestigo.study.reasons import sentence

        return f"<Pick {self.candidate.name}: {sentence(self)}>"


def choose(study: "Study", aim: Aim, seed: int) -> Pick:
    """Ranks on the first part; confirms on the rest."""
    if aim.best is None and aim.worth is None:
        raise InputError("aim: no measure is named, and no worth; name the measure to make best")
    aim = settled(aim, study)
    candidates = list(study.values())
    if not study.today.result["slices"]["reads"]:
        raise InputError(f"{study.source or 'the trace'}: holds no events, so there is nothing to choose by")
    ranked = sorted(candidates, key=lambda one: (cost(study, aim, one, "first"), one.measure("memory_peak", "first")))
    within = [one for one in ranked if not excesses(study, one, aim.limits, "first")]
    if not within:
        nearest = min(ranked, key=lambda one: max(each.share for each in excesses(study, one, aim.limits, "first")))
        return Pick(study, aim, nearest, tuple(excesses(study, nearest, aim.limits, "first")))
    pick = within[0]
    runner_up = next((one for one in within[1:] if one.result["slices"] != pick.result["slices"]), None)
    resamples = Resamples(len(pick.result["slices"]["reads"]), seed)
    here = cost(study, aim, pick, "first")
    within_on_rest = [one for one in candidates if not excesses(study, one, aim.limits, "rest")]
    better = [one for one in ranked if cost(study, aim, one, "first") < here]
    less = pick.measure("memory_peak", "first")
    return Pick(
        study,
        aim,
        pick,
        (),
        tuple(excesses(study, pick, aim.limits, "rest")),
        min(within_on_rest, key=lambda one: cost(study, aim, one, "rest"), default=None),
        runner_up,
        resamples.ahead(pick, runner_up, aim.best) if runner_up else None,
        {name: resamples.interval(pick, name) for name in _told_apart(study)},
        tuple(_relaxed(study, aim, ranked, pick)),
        next((one for one in within if one.measure("memory_peak", "first") < less), None),
        min(
            better, key=lambda one: max(each.share for each in excesses(study, one, aim.limits, "first")), default=None
        ),
    )


def settled(aim: Aim, study: "Study") -> Aim:
    """The aim as it can be judged. Raises InputError where it is of staleness, and the trace shows no changes."""
    if study.stale_known:
        return aim
    if aim.is_usual:
        aim = Aim("hit_rate", aim.bounds, aim.worth)
    asked = [name for name in (aim.best, *(limit.name for limit in aim.limits)) if name]
    if unknown := [MEASURES[name].label for name in asked if MEASURES[name].of_staleness]:
        raise InputError(f"aim: {' and '.join(dict.fromkeys(unknown))} cannot be judged: {study.staleness_unknown}")
    return aim


def _told_apart(study: "Study") -> tuple[str, ...]:
    return ("hit_rate", "fresh_hit_rate", "stale_rate") if study.stale_known else ("hit_rate",)


def cost(study: "Study", aim: Aim, candidate: "Candidate", part: str) -> float:
    if aim.best is not None:
        amount = candidate.measure(aim.best, part)
        return -amount if MEASURES[aim.best].more_is_better else amount
    return money(study, aim.worth or Worth(), candidate, part)


def money(study: "Study", worth: Worth, candidate: "Candidate", part: str = "whole") -> float:
    """A month of it, at the pace of the trace; memory is paid for at its peak."""
    months = study.span_ns(part) / MONTH_NS
    loads, stale = candidate.measure("loads", part), candidate.measure("stale_hits", part)
    spent = loads / 1e6 * worth.million_loads + stale * worth.stale_read
    return (spent / months if months else 0.0) + candidate.measure("memory_peak", part) / 2**30 * worth.gib_month


def excesses(study: "Study", candidate: "Candidate", limits: Sequence[Limit], part: str) -> list[Excess]:
    """The limits that it breaks; those that are told by today's settings stand beside these in the same part."""
    found = [
        Excess(limit.beside(study.today.measure(limit.name, part)), candidate.measure(limit.name, part))
        for limit in limits
    ]
    return [one for one in found if not one.limit.allows(one.amount)]


def _relaxed(study: "Study", aim: Aim, ranked: Sequence["Candidate"], pick: "Candidate") -> list[Relaxed]:
    """For each limit: the candidate that breaks it alone, least, and is better than the pick."""
    here, found = cost(study, aim, pick, "first"), []
    for limit in aim.limits:
        others = [other for other in aim.limits if other is not limit]
        beyond = [
            (each[0].share, -(here - cost(study, aim, one, "first")), number)
            for number, one in enumerate(ranked)
            if cost(study, aim, one, "first") < here
            and not excesses(study, one, others, "first")
            and (each := excesses(study, one, [limit], "first"))
        ]
        if beyond:
            one = ranked[min(beyond)[2]]
            found.append(Relaxed(limit, one, here - cost(study, aim, one, "first")))
    return found
