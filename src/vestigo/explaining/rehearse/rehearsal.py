"""What a rehearsal gives: plain data."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from vestigo.choosing.rehearsing.rehearsed import Rehearsed
from vestigo.data import Data, Told
from vestigo.units import SECOND, counted, format_seconds, format_time

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class Help(Data):
    """A change that makes the worst moment better, and how the moment goes with it."""

    what: str
    changes: Mapping[str, object]
    """By dotted key, as a plan file has it. Those of ``origin`` are of that table."""
    then: Rehearsed

    TOLD = ("what", "changes", "then")


@dataclass(frozen=True, eq=False, repr=False)
class Rehearsal(Data):
    """How bad moments go with today's settings and others. `rehearse` returns it."""

    at_ns: int
    """When each moment happens."""
    why_then: str
    ends_ns: int
    """Up to when the trace was replayed."""
    slow_ns: int
    places: int
    """How many calls the origin serves at a time, all origins together. 0 means any number."""
    rows: Sequence[Rehearsed]
    """For each settings the time without a bad moment, and then each moment."""
    helps: Sequence[Help]
    """What makes the worst moment of today better, the best first."""
    assumptions: Sequence[str] = ()

    @property
    def settings(self) -> list[str]:
        return list(dict.fromkeys(row.settings for row in self.rows))

    @property
    def moments(self) -> dict[str, str]:
        """The words of each moment by name."""
        return {row.moment: row.words for row in self.rows if row.moment}

    def row(self, moment: str, settings: str | None = None) -> Rehearsed:
        """How a moment goes, with today's settings unless others are named. An empty name is the time without one."""
        name = self.settings[0] if settings is None else settings
        return next(row for row in self.rows if (row.moment, row.settings) == (moment, name))

    @property
    def worst(self) -> Rehearsed:
        """The moment that is worst with today's settings."""
        return max((self.row(name) for name in self.moments), key=lambda row: row.suffering)

    @property
    def in_words(self) -> str:
        """What the worst moment does, in a sentence or two."""
        worst = self.worst
        when = format_time(self.at_ns)[:-4]
        first = f"With {self.settings[0]}'s settings {worst.words} at {when} UTC {self._does(worst)}."
        others = [f" With {name}: {self._briefly(self.row(worst.moment, name))}." for name in self.settings[1:]]
        return first + "".join(others)

    def _does(self, row: Rehearsed) -> str:
        fails = f"{counted(row.failed, 'read')} {'fails' if row.failed == 1 else 'fail'}, " if row.failed else ""
        calm = self.row("", row.settings).slow
        slow = f"{counted(row.slow, 'read')} {'takes' if row.slow == 1 else 'take'} longer than {self._limit}"
        slow += f" ({calm:,} without it)" if calm else ""
        if row.recovery_ns == 0:
            return f"goes by without making readers worse off: {fails}{slow}"
        return f"makes readers worse off for {self.takes(row)}: {fails}{slow}"

    def _briefly(self, row: Rehearsed) -> str:
        return f"{self.takes(row)}, {f'{row.failed:,} fail, ' if row.failed else ''}{row.slow:,} take longer"

    def takes(self, row: Rehearsed) -> str:
        """How long it takes, in words."""
        if row.recovery is None:
            return f"more than {format_seconds((self.ends_ns - self.at_ns) / SECOND)}"
        return format_seconds(row.recovery)

    @property
    def _limit(self) -> str:
        return format_seconds(self.slow_ns / SECOND)

    def __repr__(self) -> str:
        return f"<Rehearsal: {self.in_words}>"

    def to_dict(self) -> Told:
        """Plain data, times in seconds. ``rows`` has each moment with each settings."""
        return {
            "at": self.at_ns / SECOND,
            "slow": self.slow_ns / SECOND,
            "places": self.places,
            "answer": self.in_words,
            "moments": self.moments,
            "rows": [row.to_dict() for row in self.rows],
            "helps": [one.to_dict() for one in self.helps],
            "assumptions": list(self.assumptions),
        }

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each moment with each settings."""
        import pandas as pd

        return pd.DataFrame([row.to_dict() for row in self.rows])
