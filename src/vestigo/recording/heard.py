"""What became of the spans that a receiver got."""

from dataclasses import asdict, dataclass, field
from typing import Any


@dataclass(frozen=True)
class Heard:
    """Each span is counted once."""

    spans: int = 0
    """Spans of all requests that were accepted."""
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
    turned_away: dict[str, int] = field(default_factory=dict)
    """Requests and connections that were refused, by reason. Nobody knows how many spans they had."""

    @property
    def waiting(self) -> int:
        """Spans that are not written yet. At the end there are none."""
        return (
            self.spans - self.written - self.not_asked_for - sum(self.left_out.values()) - self.refused - self.dropped
        )

    def to_dict(self) -> dict[str, Any]:
        return asdict(self)
