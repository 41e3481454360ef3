"""``Stands``: how a choice stands on bad days."""

from collections.abc import Mapping
from typing import NamedTuple

from vestigo.choosing.candidates import Candidate
from vestigo.data import can_be_kept
from vestigo.measures import limited_measure
from vestigo.rules.aim import Limit


@can_be_kept
class Stands(NamedTuple):
    """What limits of bad moments leave of a ranking."""

    candidate: Candidate | None
    """The best that keeps them. None if none of those that were rehearsed does."""
    limits: tuple[Limit, ...]
    """With their bounds as numbers."""
    amounts: Mapping[str, float]
    """By the name of a limit, what that candidate has, or else the best one in calm times."""
    passed_over: tuple[str, ...]
    """The better ones that break a limit."""

    @property
    def in_words(self) -> str:
        """The amounts beside their limits."""
        told = [
            f"{limited_measure(one.name).label} {limited_measure(one.name).amount_text(self.amounts[one.name])} "
            f"({one.sign} {one.written})"
            for one in self.limits
        ]
        return ", ".join(told)
