"""What kinds of rules that nobody asked for would bring: what to build next."""

from collections.abc import Callable, Mapping, Sequence

from vestigo.choosing.finding.answers import Answers
from vestigo.choosing.finding.attempts import Attempt, Attempts, Setting
from vestigo.choosing.finding.combining import Choice
from vestigo.choosing.finding.moves import near
from vestigo.choosing.finding.offers import Offer
from vestigo.choosing.finding.questions import Asked, Questions
from vestigo.choosing.proof import WouldBring

KINDS: Mapping[str, tuple[str, ...]] = {
    "other room": ("max_entries", "max_bytes"),
    "other lifetimes": ("absolute",),
    "other sliding lifetimes": ("sliding",),
    "another rule for nulls": ("nulls",),
    "to see writes": ("on_write", "tell_nodes"),
    "another eviction policy": ("eviction",),
    "expiry on the clock": ("absolute_at",),
    "to wait for a load under way": ("overlap",),
    "reloads in the background": ("reload_after", "serve_stale"),
    "calls that are shared": ("batch",),
    "to drop at once what has expired": ("collect",),
}
"""Kinds of rules by what they are for."""
_ABOUT_LIFETIMES = {"on_write", "absolute_at"}
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
            gain, units = _gain(answers, asked, here, rules, offered(rules))
            if gain > _LEAST * max(abs(here.cost), 1e-9):
                found.append(WouldBring(kind, rules, gain, tuple(names[unit] for unit in units)))
    return tuple(sorted(found, key=lambda one: -one.gain))


def _gain(
    answers: Answers, asked: Asked, here: Choice, rules: Sequence[str], offers: Sequence[Sequence[Offer]]
) -> tuple[float, list[int]]:
    """What the aim gains, and the units that profit."""
    work = answers.attempts
    now = [{key: one for offer in each for key, one in offer.now.items()} for each in offers]
    attempts = Attempts(work.trace, work.plan, now, work.split_ns, kept=work.kept, progress=work.progress)
    known = [
        [attempt._replace(setting={**base, **attempt.setting}) for attempt in each]
        for each, base in zip(work.lists, now, strict=True)
    ]
    taken = answers.questions_about(known).attempts(here)
    attempts.make(_with(each, one.setting, rules) for each, one in zip(offers, taken, strict=True))
    questions = _about(answers, known, attempts)
    if not questions.could_gain(asked, here.cost, [len(each) for each in known]):
        return 0.0, []
    taken = _best(questions, asked)
    finer = [
        near(each, one.setting, _FINER, evicts=True) if _uses(one, rules) else ()
        for each, one in zip(offers, taken, strict=True)
    ]
    if attempts.make(finer):
        taken = _best(_about(answers, known, attempts), asked)
    gain = here.cost - answers.questions.judge(asked, taken).cost
    return gain, [number for number, attempt in enumerate(taken) if _uses(attempt, rules)]


def _about(answers: Answers, known: Sequence[Sequence[Attempt]], more: Attempts) -> Questions:
    return answers.questions_about([[*own, *new] for own, new in zip(known, more.lists, strict=True)])


def _best(questions: Questions, asked: Asked) -> tuple[Attempt, ...]:
    choice = questions.best(asked)
    assert choice is not None
    return questions.attempts(choice)


def _with(offers: Sequence[Offer], setting: Setting, rules: Sequence[str]) -> list[Setting]:
    """The setting with each way of the new rules, with the present lifetime, and with others where the rules are about
    what a lifetime is for.
    """
    is_about = not _ABOUT_LIFETIMES.isdisjoint(rules)
    lifetimes = [step for offer in offers if offer.rule == "absolute" and is_about for step in offer.on_level(_COARSE)]
    ways = [way for offer in offers if offer.rule in rules for way in offer.ways]
    return [{**setting, **way, **lifetime} for way in ways for lifetime in ({}, *lifetimes)]


def _uses(attempt: Attempt, rules: Sequence[str]) -> bool:
    return any(key.rpartition(".")[2] in rules for key in attempt.changes)
