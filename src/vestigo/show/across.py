"""Shows what was chosen for several recordings: the answer, each recording, and the rules that change."""

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.text import Text

from vestigo.choosing.across.across import Across
from vestigo.measures import MEASURES
from vestigo.rules.plan_text import plan_lines
from vestigo.show.grid import GAP, Column, grid
from vestigo.show.notes import kept_together
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import counted


@shown.register
def across_text(found: Across) -> RenderableType:
    """The text, with the answer first."""
    parts: list[RenderableType] = [
        kept_together(Text(printable(found.in_words, most=2000), "bold")),
        kept_together(Text(f"It is the best of {counted(found.tried, 'setting')} that were replayed on each.")),
        Text(),
        _table(found),
    ]
    if changes := found.pick[0].changes:
        parts += [Text(), Text("What changes:", "bold"), Padding(Text(plan_lines(changes)), (0, 0, 0, 2))]
    return Group(*parts, *(Text(f"\n{printable(note, most=300)}") for note in found.notes))


def _table(found: Across) -> RenderableType:
    sides = {"today": found.today, "chosen": found.pick, "alone": found.alone}
    columns = [
        Column(which, found.goal, [found.amount_text(one) for one in (*found.amounts(each), found.together(each))])
        for which, each in sides.items()
    ]
    limited = dict.fromkeys(limit.name for limit in found.aim.each_limit if limit.name in MEASURES)
    for name in limited:
        cells = [MEASURES[name].amount_text(one.measure(name)) for one in found.pick]
        columns.append(Column("chosen", MEASURES[name].label, [*cells, ""]))
    last = "all together" if found.aim.of == "all" else "the worst"
    names = [*(printable(name, 40) for name in found.recordings), last]
    styles = [*("" for _ in found.recordings), "bold"]
    return grid("recording", names, columns, styles, GAP, 40)
