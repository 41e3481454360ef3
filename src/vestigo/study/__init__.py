"""Many replays of one trace, side by side."""

from vestigo.study.compare import Comparison, compare

__all__ = ["Comparison", "compare"]
