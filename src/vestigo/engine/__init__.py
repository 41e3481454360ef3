"""Replays a trace against rules. It checks both, and hands over to one of two engines that give the same counts."""

from vestigo.engine import what_if
from vestigo.engine.replay import replay
from vestigo.engine.watch import key_by_key, read_by_read, write_read_by_read

__all__ = ["key_by_key", "read_by_read", "replay", "what_if", "write_read_by_read"]
