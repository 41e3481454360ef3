"""``Alone``: what one part of a replay gives, in the form in which parts can be put together."""

from typing import NamedTuple

from vestigo.outcome.measures import Measures
from vestigo.trace.trace import Longs


class Alone(NamedTuple):
    """What the look-ups of one part give. Times without a cache are those of the whole trace."""

    whole: Measures
    first: Measures
    """Of the first part of the time."""
    rest: Measures
    held: Longs
    """The bytes held when the first stretch of time begins, and at the end of each."""
    most: Longs
    """The most bytes held in each stretch. In no stretch do several parts hold more than their sum."""
