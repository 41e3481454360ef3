"""Settings that are tried by hand: each change is replayed at once, beside today's settings."""

from vestigo.study.explore.explorer import Explorer, Surroundings

__all__ = ["Explorer", "Surroundings"]
