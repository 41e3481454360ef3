"""Origin calls that several loads share."""

from collections.abc import Hashable


class Calls:
    """For each caller, when its last call began and how long it takes."""

    def __init__(self) -> None:
        self.begun: dict[Hashable, tuple[int, int]] = {}

    def share(self, who: Hashable, now: int, window: int, cost: int) -> int | None:
        """How much longer the call under way takes because of one more load. None if a new call begins, because none
        began within the `window` before.
        """
        began, longest = self.begun.get(who, (None, 0))
        if began is None or now - began >= window:
            self.begun[who] = (now, cost)
            return None
        self.begun[who] = (began, max(longest, cost))
        return max(cost - longest, 0)
