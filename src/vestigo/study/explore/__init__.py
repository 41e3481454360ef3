"""Settings tried one after the other, by hand: each change measured at once, beside today's settings."""

from vestigo.study.explore.explorer import Explorer, Surroundings

__all__ = ["Explorer", "Surroundings"]
