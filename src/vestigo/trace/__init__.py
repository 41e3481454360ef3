"""Recorded reads and changes: what a replay is fed with."""

from vestigo.trace.read import read_trace
from vestigo.trace.synth import synth
from vestigo.trace.trace import Op, Trace

__all__ = ["Op", "Trace", "read_trace", "synth"]
