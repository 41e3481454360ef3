"""Replays a trace against rules: checks, then hands over to one of two engines that mean the same."""

from vestigo.engine import what_if
from vestigo.engine.replay import replay

__all__ = ["replay", "what_if"]
