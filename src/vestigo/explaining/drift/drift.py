"""What is different between two recordings: plain data."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from vestigo.choosing.pick import Excess, Pick, cost
from vestigo.data import Data, Told, can_be_kept
from vestigo.explaining.drift.chance import Beside
from vestigo.explaining.drift.effects import Effect
from vestigo.measures import MEASURES

if TYPE_CHECKING:
    import pandas as pd

can_be_kept(Beside)
can_be_kept(Effect)


@can_be_kept
class Trait(NamedTuple):
    """What a look-up is like before and after."""

    lookup: str
    name: str
    """See `vestigo.explaining.drift.traits.traits`."""
    beside: Beside


@dataclass(frozen=True, eq=False, repr=False)
class Drift(Data):
    """What is different between two recordings, what that does to the prediction, and whether the settings are still
    good. `drift` returns it.
    """

    before: str
    """Where each recording comes from."""
    after: str
    rate: str
    """The measure whose difference is explained: ``fresh_hit_rate``, ``hit_rate`` or ``stale_rate``."""
    rates: tuple[float, float]
    """That of the settings on each recording."""
    effects: Sequence[Effect]
    """What each difference adds to the rate, the largest first. They add up to its whole difference."""
    traits: Sequence[Trait]
    """What look-ups are like in both."""
    only_before: Sequence[str]
    """Look-ups that only one of the recordings has."""
    only_after: Sequence[str]
    pick: Pick
    """What would be chosen on the later recording."""
    broken_before: tuple[Excess, ...]
    """The limits of the aim that the settings break on each recording."""
    broken_after: tuple[Excess, ...]
    assumptions: Sequence[str] = ()

    @property
    def found(self) -> list[Trait]:
        """What differs by more than chance would have it."""
        return [one for one in self.traits if one.beside.is_more_than_chance]

    @property
    def behind(self) -> float:
        """How much better the best settings are on the later recording, as a share of what they reach. It is 0 if
        nothing that keeps the limits is better.
        """
        best, today = (
            cost(self.pick.among, self.pick.aim, one) for one in (self.pick.candidate, self.pick.among.today)
        )
        return max(today - best, 0.0) / (abs(best) or 1.0) if self.pick.is_met else 0.0

    def is_good(self, tolerated: float) -> bool:
        """Whether the settings keep all limits, and are behind the best by no more than this share."""
        return self.behind <= tolerated and not self.broken_after

    @property
    def in_words(self) -> str:
        """The answer in a sentence or two."""
        label, (before, after) = MEASURES[self.rate].label, self.rates
        text = MEASURES[self.rate].amount_text
        moved = f"On {self.after} these settings give {label} {text(after)}; on {self.before} they gave {text(before)}."
        if self.broken_after:
            limits = " and ".join(
                f"{one.limit} ({MEASURES[one.limit.name].amount_text(one.amount)})" for one in self.broken_after
            )
            moved += f" They break {limits}."
        return f"{moved} {self._beside_the_best()}"

    def _beside_the_best(self) -> str:
        pick = self.pick
        best, today = (pick.amount_text(pick.value(one)) for one in (pick.candidate, pick.among.today))
        if not pick.is_met:
            return "Nothing that was tried keeps all limits there."
        if self.broken_after:
            return f"The best settings that were found for it keep them, and would give {pick.goal} {best}."
        if self.behind == 0:
            return "Nothing better was found for it."
        return f"The best settings that were found for it would give {pick.goal} {best}, today's give {today}."

    def to_dict(self) -> Told:
        """Plain data: times in seconds, sizes in bytes, rates in [0, 1]."""
        return {
            "before": self.before,
            "after": self.after,
            "answer": self.in_words,
            "rate": self.rate,
            "rates": {"before": self.rates[0], "after": self.rates[1]},
            "effects": [one._asdict() for one in self.effects],
            "traits": [
                {
                    "lookup": one.lookup,
                    "trait": one.name,
                    **one.beside._asdict(),
                    "is_more_than_chance": one.beside.is_more_than_chance,
                }
                for one in self.traits
            ],
            "only_before": list(self.only_before),
            "only_after": list(self.only_after),
            "behind": self.behind,
            "broken_before": [str(one.limit) for one in self.broken_before],
            "broken_after": [str(one.limit) for one in self.broken_after],
            "best": self.pick.to_dict(),
            "assumptions": list(self.assumptions),
        }

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each effect."""
        import pandas as pd

        return pd.DataFrame([one._asdict() for one in self.effects], columns=Effect._fields)

    def __repr__(self) -> str:
        return f"<Drift: {self.in_words}>"
