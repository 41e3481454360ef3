"""``Proof``: how good a found choice is, and what else there is to know about it."""

from dataclasses import dataclass
from typing import NamedTuple

from vestigo.data import Data, can_be_kept
from vestigo.rules.vary import Changes


@can_be_kept
class ChangeWorth(NamedTuple):
    """What a change of one look-up is worth: the aim if it alone is left out."""

    today: Changes
    """By dotted key."""
    now: Changes
    without: float
    keeps_limits: bool
    """Whether the limits are kept without it."""


@can_be_kept
class WouldBring(NamedTuple):
    """What a kind of rules that was not asked for would bring to the aim, at best."""

    kind: str
    rules: tuple[str, ...]
    gain: float
    lookups: tuple[str, ...]
    """Those that would profit."""


@can_be_kept
class OnTheClock(NamedTuple):
    """A look-up whose values change on the clock."""

    lookup: str
    times: str
    """The times of day (UTC) at which most of its changes begin, as a plan writes them."""
    window_ns: int
    """Most of its changes come so soon after."""
    share: float
    """How many of them."""


@dataclass(frozen=True, eq=False, repr=False)
class Proof(Data):
    """How good a choice is among all combinations of what was tried. Amounts are those of the aim."""

    combinations: int
    bound: float
    """No combination gives more (or less, if less is better)."""
    reached: float
    """What the best combination gives. A choice for which no limit on memory was stated has nearly as much, in less
    memory.
    """
    worth: tuple[ChangeWorth, ...] = ()
    """Of each change, in order of look-ups."""
