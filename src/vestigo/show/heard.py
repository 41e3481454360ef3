"""Shows as text what a receiver of spans has recorded."""

from pathlib import Path

from vestigo.recording.heard import Heard
from vestigo.show.safe import printable
from vestigo.units import counted


def heard_line(heard: Heard) -> str:
    """The line that is shown while it records."""
    lost = f", {heard.dropped:,} dropped" if heard.dropped else ""
    refused = sum(heard.turned_away.values())
    away = f", {counted(refused, 'request')} turned away" if refused else ""
    return f"{counted(heard.spans, 'span')}, {counted(heard.written, 'event')} written{lost}{away}"


def heard_text(heard: Heard, folder: Path) -> str:
    """The text at the end, with everything that is not in the files, and why."""
    where = printable(str(folder), most=1000)
    lines = [f"{where}: {counted(heard.written, 'event')} written, of {counted(heard.spans, 'span')}"]
    if heard.dropped:
        lines.append(f"  dropped {counted(heard.dropped, 'span')}: too many waited to be written, or the disk is full")
    if heard.refused:
        lines.append(f"  refused {counted(heard.refused, 'span')}: their times or attributes are out of range")
    lines += [
        f"  left out {counted(count, 'span')}: {printable(why, most=200)}"
        for why, count in sorted(heard.left_out.items(), key=lambda one: -one[1])
    ]
    if heard.not_asked_for:
        lines.append(f"  skipped {counted(heard.not_asked_for, 'span')} that match no --span")
    lines += [
        f"  turned away {counted(count, 'time')}: {printable(why, most=200)}"
        for why, count in sorted(heard.turned_away.items(), key=lambda one: -one[1])
    ]
    if heard.written:
        lines.append(f"Next: vestigo survey {where}")
    return "\n".join(lines)
