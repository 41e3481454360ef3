"""Records reads and changes in a running Python service."""

from vestigo.recording.recorder import Recorder

__all__ = ["Recorder"]
