"""Shows a driven cache as text: how far it agrees with the replay, where they part first, and what explains that."""

from collections.abc import Sequence

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.text import Text

from vestigo.explaining.drive.driven import Difference, Driven, Explanation, ReadCounts
from vestigo.rules.plan_text import plan_lines
from vestigo.show.costs import costs_lines
from vestigo.show.grid import Column, grid, in_one_unit, in_own_units
from vestigo.show.notes import assumed, kept_together
from vestigo.show.outcome import count
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import SHARES, SPANS, counted, format_share, format_time


@shown.register
def driven_text(driven: Driven) -> RenderableType:
    if not driven.driven.reads and driven.stopped:
        return kept_together(Text.assemble(("Stopped before the first counted read", "bold"), f": {_why(driven)}."))
    if not driven.driven.reads:
        return Text("The trace has no reads.", "bold")
    parts: list[RenderableType] = [kept_together(_answer(driven)), Text(), _table(driven)]
    if driven.first is not None:
        parts += [Text(), *_first(driven.first)]
    if driven.explanations:
        what = "What explains the cache" if driven.found == driven.settings else "What explains the cache better"
        parts += [Text(), Text(f"{what}, by replay, each on top of the one before:", "bold")]
        parts += [_explanation(driven, one) for one in driven.explanations]
    elif driven.differ:
        parts += [Text(), Text("No change of one rule, no other policy and no other size explains it better.")]
    parts += costs_lines(driven.costs)
    if driven.untested:
        parts += [Text(), kept_together(_untested(driven.untested))]
    return Group(*parts, *assumed(driven.notes))


def _untested(rules: Sequence[str]) -> Text:
    named = ", ".join(printable(one, most=100) for one in rules)
    text = Text.assemble(("The trace never put these rules to the test", "bold"), f": {named}. ")
    return text.append(
        "Without them the replay answers every read in the same way, so this drive says nothing of them."
    )


def _answer(driven: Driven) -> Text:
    reads = driven.driven.reads
    text = Text()
    if driven.stopped:
        text.append(f"Stopped early, after {counted(reads, 'counted read')}", "bold").append(f": {_why(driven)}. ")
    if not driven.differ:
        return text.append(f"The cache and the replay answered all {reads:,} reads alike.", "bold")
    text.append(f"The cache and the replay answered {_share(driven.alike, reads)} of {reads:,} reads alike", "bold")
    text.append(
        f"; {driven.differ:,} differ: {counted(driven.only_driven, 'hit')} of the cache alone, "
        f"{driven.only_replayed:,} of the replay alone, "
        f"{driven.differ - driven.only_driven - driven.only_replayed:,} with values of different ages."
    )
    return text


def _why(driven: Driven) -> str:
    return printable(driven.stopped or "", most=500).rstrip(".")


def _share(alike: int, reads: int) -> str:
    """A share in percent. It never says "100 %" of what is not all."""
    share = alike / reads if reads else 1.0
    return "more than 99.9 %" if 0.9995 <= share < 1 else format_share(share)


def _table(driven: Driven) -> RenderableType:
    each = {"all": (driven.driven, driven.replayed)}
    each |= driven.lookups if len(driven.lookups) > 1 else {}
    names = [f"{name} {what}" for name in each for what in ("driven", "replayed")]
    counts: list[ReadCounts] = [one for both in each.values() for one in both]
    unknown = ["-"] * len(counts)
    columns = [
        count("reads", [one.reads for one in counts]),
        count("hits", [one.hits for one in counts]),
        in_one_unit("hit rate", [one.hit_rate for one in counts], SHARES),
        count("stale hits", [one.stale_hits for one in counts]) if driven.stale_known else _same("stale hits", unknown),
        count("origin calls", [one.loads for one in counts]),
        in_own_units("mean age", [one.answer_age["mean"] or 0 for one in counts], SPANS),
        in_own_units("max age", [one.answer_age["max"] or 0 for one in counts], SPANS),
    ]
    return grid("", names, columns, [""] * len(names))


def _same(heading: str, cells: Sequence[str]) -> Column:
    return Column(heading, "", cells)


def _first(first: Difference) -> list[RenderableType]:
    node = f" on {printable(first.node)}" if first.node else ""
    read = f"{printable(first.lookup)} {printable(first.key)}{node}"
    head = Text.assemble(
        ("The first read that they answered differently", "bold"),
        f": event {first.event:,}, {read}, {format_time(first.at_ns)}. ",
    )
    head.append(f"The cache {first.driven}; the replay {first.replayed}.")
    parts: list[RenderableType] = [kept_together(head)]
    if first.story.read:
        parts.append(Padding(kept_together(Text(printable(first.story.read, most=1000))), (0, 0, 0, 2)))
    return parts


def _explanation(driven: Driven, one: Explanation) -> RenderableType:
    share = _share(one.alike, driven.driven.reads)
    said = kept_together(Text(f"{printable(one.what, most=300)}: {share} of the reads alike ({one.alike:,})"))
    lines = Padding(Text(plan_lines(one.changes), style="dim"), (0, 0, 0, 2))
    return Padding(Group(said, lines), (0, 0, 0, 2))
