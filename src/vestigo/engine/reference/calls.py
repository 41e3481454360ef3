"""Origin calls that several loads share."""

from collections.abc import Hashable
from typing import NamedTuple

from vestigo.engine.reference.origin import Call, Origin


class _Begun(NamedTuple):
    asked: int
    served: int
    """When it is served."""
    longest: int


class Calls:
    """The last call of each caller."""

    def __init__(self) -> None:
        self.begun: dict[Hashable, _Begun] = {}

    def share(self, who: Hashable, now: int, window: int, origin: Origin, cost: int) -> tuple[Call, int | None]:
        """What becomes of one more load, and how much longer the call that it shares takes because of it. None if a new
        call begins, because none began within the `window` before.
        """
        begun = self.begun.get(who)
        if begun is None or now - begun.asked >= window:
            call = origin.call(now, cost)
            self.begun[who] = _Begun(now, call.begins, call.takes)
            return call, None
        call = origin.serve(max(begun.served, now), cost)
        self.begun[who] = begun._replace(longest=max(begun.longest, call.takes))
        return call, max(call.takes - begun.longest, 0)
