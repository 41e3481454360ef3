"""Why a number is what it is: the story of a key, a sentence about one read, and what would have helped."""

from vestigo.study.why.story import Advice, Stay, Step, Story
from vestigo.study.why.why import why

__all__ = ["Advice", "Stay", "Step", "Story", "why"]
