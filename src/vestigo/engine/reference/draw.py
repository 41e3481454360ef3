"""Random numbers that both engines draw alike.

SplitMix64: G. L. Steele, D. Lea, C. H. Flood, "Fast splittable pseudorandom number generators", OOPSLA 2014.
"""

STEP = 0x9E3779B97F4A7C15
"""From one state of a sequence to the next."""

_MASK = 2**64 - 1


def mix(state: int) -> int:
    state &= _MASK
    state = (state ^ (state >> 30)) * 0xBF58476D1CE4E5B9 & _MASK
    state = (state ^ (state >> 27)) * 0x94D049BB133111EB & _MASK
    return state ^ (state >> 31)


def draw_below(random: int, end: int) -> int:
    """A whole number from 0 to below `end`."""
    return random * end >> 64
