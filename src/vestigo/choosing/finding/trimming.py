"""Leaves out what a choice changes for nothing, and tells what each change that stays is worth."""

from collections.abc import Sequence
from typing import NamedTuple

from vestigo.choosing.finding.attempts import Attempt, Attempts, Setting
from vestigo.choosing.finding.offers import Offer
from vestigo.choosing.finding.questions import Asked, Questions
from vestigo.choosing.proof import ChangeWorth

_FOR_NOTHING = 5e-4
"""A change that brings less than this share of the aim is left out."""


class _Variant(NamedTuple):
    unit: int
    offer: Offer
    attempt: Attempt
    cost: float
    keeps_limits: bool


class Trimming(NamedTuple):
    """What it works with."""

    attempts: Attempts
    offers: Sequence[Sequence[Offer]]
    questions: Questions
    asked: Asked

    def trimmed(self, chosen: Sequence[Attempt]) -> tuple[Attempt, ...]:
        """The choice without changes that bring nothing. Of each unit the least useful one goes first."""
        kept = list(chosen)
        while True:
            here = self.questions.judge(self.asked, kept).cost
            most = here + _FOR_NOTHING * abs(here)
            variants = [one for one in self._variants(kept) if one.keeps_limits and one.cost <= most]
            if not variants:
                return tuple(kept)
            least = min(variants, key=lambda one: one.cost)
            kept[least.unit] = least.attempt

    def worth(self, chosen: Sequence[Attempt]) -> tuple[ChangeWorth, ...]:
        """What each change is worth."""
        found = []
        for one in self._variants(chosen):
            now, then = chosen[one.unit].setting, self.attempts.now[one.unit]
            keys = [key for key in one.offer.keys if now[key] != then[key]]
            before, after = ({key: setting[key] for key in keys} for setting in (then, now))
            found.append(ChangeWorth(before, after, abs(one.cost), one.keeps_limits))
        return tuple(found)

    def _variants(self, chosen: Sequence[Attempt]) -> list[_Variant]:
        """The choice with one change less, in every way. What was not tried yet is tried."""
        wanted: list[list[tuple[Offer, Setting]]] = [
            [
                (offer, self._without(number, offer, attempt))
                for offer in offers
                if self._is_changed(number, offer, attempt)
            ]
            for number, (offers, attempt) in enumerate(zip(self.offers, chosen, strict=True))
        ]
        self.attempts.make([[setting for _, setting in each] for each in wanted])
        found = []
        for number, each in enumerate(wanted):
            for offer, setting in each:
                attempt = self.attempts.find(number, setting)
                if attempt is not None:
                    with_it = [attempt if place == number else one for place, one in enumerate(chosen)]
                    found.append(_Variant(number, offer, attempt, *self.questions.judge(self.asked, with_it)))
        return found

    def _without(self, number: int, offer: Offer, attempt: Attempt) -> Setting:
        return {**attempt.setting, **{key: self.attempts.now[number][key] for key in offer.keys}}

    def _is_changed(self, number: int, offer: Offer, attempt: Attempt) -> bool:
        return any(attempt.setting[key] != self.attempts.now[number][key] for key in offer.keys)
