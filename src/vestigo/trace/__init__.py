"""Recorded reads and changes, which a replay goes through."""

from vestigo.trace import shape
from vestigo.trace.reading.intake import Intake
from vestigo.trace.reading.read import Readable, read_trace
from vestigo.trace.synth import synth
from vestigo.trace.trace import Op, Trace
from vestigo.trace.writing import write_trace

__all__ = ["Intake", "Op", "Readable", "Trace", "read_trace", "shape", "synth", "write_trace"]
