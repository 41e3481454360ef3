"""What became of the spans that a receiver got."""

from dataclasses import asdict, dataclass, field
from typing import Any


@dataclass(frozen=True)
class Heard:
    """Each span is counted once."""

    written: int = 0
    """Spans that are events in files."""
    not_asked_for: int = 0
    """Spans that match no condition."""
    left_out: dict[str, int] = field(default_factory=dict)
    """Spans that are not events of a trace, by reason."""
    refused: int = 0
    """Spans whose times or attributes are outside the accepted range."""
    dropped: int = 0
    """Spans that found the buffer or the disk full."""

    @property
    def spans(self) -> int:
        return self.written + self.not_asked_for + sum(self.left_out.values()) + self.refused + self.dropped

    def to_dict(self) -> dict[str, Any]:
        return {"spans": self.spans, **asdict(self)}
