"""What kinds of rules that nobody asked for would bring: what to build next."""

from collections.abc import Callable, Mapping, Sequence

from vestigo.choosing.finding.answers import Answers
from vestigo.choosing.finding.moves import near
from vestigo.choosing.finding.offers import Offer
from vestigo.choosing.finding.questions import Asked
from vestigo.choosing.finding.trials import Setting, Trial, Trials
from vestigo.choosing.proof import WouldBring

KINDS: Mapping[str, tuple[str, ...]] = {
    "to see writes": ("on_write", "tell_nodes"),
    "another eviction policy": ("eviction",),
    "expiry on the clock": ("absolute_at",),
    "to wait for a load under way": ("overlap",),
    "reloads in the background": ("reload_after", "serve_stale"),
    "calls that are shared": ("batch",),
    "to drop at once what has expired": ("collect",),
}
"""Kinds of rules by what they are for."""
_COARSE, _FINER = 0, 1
_LEAST = 5e-4
"""A kind that brings a smaller share of the aim is not told."""
Offered = Callable[[Sequence[str]], list[list[Offer]]]
"""What can be set of each unit, with more rules than the plan asks for."""


def would_bring(answers: Answers, asked: Asked, names: Sequence[str], offered: Offered) -> tuple[WouldBring, ...]:
    """The kinds that would bring something, the best first. `names` are the names of the units."""
    here = answers.questions.best(asked)
    if here is None:
        return ()
    allowed = {offer.rule for offers in answers.offers for offer in offers}
    found = []
    for kind, rules in KINDS.items():
        if allowed.isdisjoint(rules):
            gain, units = _gain(answers, asked, rules, offered(rules))
            if gain > _LEAST * max(abs(here.cost), 1e-9):
                found.append(WouldBring(kind, rules, gain, tuple(names[unit] for unit in units)))
    return tuple(sorted(found, key=lambda one: -one.gain))


def _gain(answers: Answers, asked: Asked, rules: Sequence[str], offers: Sequence[Sequence[Offer]]) -> tuple[float, list[int]]:
    """What the aim gains, and the units that profit."""
    work = answers.trials
    now = [{key: one for offer in each for key, one in offer.now.items()} for each in offers]
    trials = Trials(work.trace, work.plan, now, work.split_ns, work.deadline, work.progress)
    here = answers.questions.best(asked)
    assert here is not None
    chosen = answers.questions.trials(here)
    kept = [[_widened(trial, base) for trial in each] for each, base in zip(work.lists, now, strict=True)]
    for level in (_COARSE, _FINER):
        known = [[*own, *new] for own, new in zip(kept, trials.lists, strict=True)]
        questions = answers.questions_about(known)
        best = questions.best(asked)
        near_to = questions.trials(best) if best is not None and level else chosen
        trials.make(
            _with(each, {**base, **trial.setting}, rules, level)
            for each, base, trial in zip(offers, now, near_to, strict=True)
        )
    questions = answers.questions_about([[*own, *new] for own, new in zip(kept, trials.lists, strict=True)])
    best = questions.best(asked)
    assert best is not None
    taken = questions.trials(best)
    units = [number for number, trial in enumerate(taken) if any(_rule(key) in rules for key in trial.changes)]
    return here.cost - best.cost, units


def _with(offers: Sequence[Offer], setting: Setting, rules: Sequence[str], level: int) -> list[Setting]:
    """The setting with each way of the new rules, and, with each, what is near to that."""
    own = [offer for offer in offers if offer.rule in rules]
    others = [offer for offer in offers if offer.rule not in rules]
    wanted: list[Setting] = []
    for offer in own:
        for way in offer.ways:
            one = {**setting, **way}
            wanted += [one, *near(others, one, level, evicts=True)]
            wanted += [{**one, **step} for other in others if other.rule == "absolute" for step in other.on_level(0)]
    return wanted


def _widened(trial: Trial, base: Setting) -> Trial:
    return trial._replace(setting={**base, **trial.setting})


def _rule(key: str) -> str:
    return key.rpartition(".")[2]
