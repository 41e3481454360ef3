"""The native engine: a trace made ready for the kernel, batch by batch, and its sheets of numbers read.

`replay.py` runs it; `batches.py` makes the kernel's columns, for which `fill.py` and `median.py` fill in what a trace
does not give. Nothing else imports the kernel.
"""

from vestigo.engine.native.replay import run

__all__ = ["run"]
