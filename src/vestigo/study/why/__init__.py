"""Why a number is what it is: the story of a key, one read in a sentence, and what would have helped."""

from vestigo.study.why.story import Advice, Stay, Step, Story
from vestigo.study.why.why import why

__all__ = ["Advice", "Stay", "Step", "Story", "why"]
