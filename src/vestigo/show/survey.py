"""Shows a survey as text for the terminal: the answer, a verdict on each look-up, the numbers, what is wrong with
keys.
"""

from collections.abc import Sequence

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from vestigo.describing.findings import Finding
from vestigo.describing.survey import Survey
from vestigo.describing.traits import Traits
from vestigo.describing.verdict import Verdict, saved_share
from vestigo.show.costs import hits_recorded
from vestigo.show.grid import NAME, Column, grid, in_one_unit, in_own_units, plain
from vestigo.show.notes import assumed, kept_together
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import SHARES, SIZES, SPANS, capitalised, counted, format_seconds, format_share, three_digits

_MOST_LOOKUPS = 40
_MOST_FINDINGS = 20


@shown.register
def survey_text(survey: Survey) -> RenderableType:
    """The text of a survey, at most 100 columns wide. If there are very many look-ups, it shows those that could save
    most.
    """
    if survey.total.reads == 0:
        return Text("The trace holds no reads.")
    names = list(survey.lookups)[:_MOST_LOOKUPS]
    each = [survey.total, *(survey.lookups[name] for name in names)]
    parts: list[RenderableType] = [answer(survey), Text(), _verdicts(survey, names)]
    for columns, title in ((_repeats(each), "look-up"), (_costs(each), "look-up"), (_times(each), "look-up")):
        parts += [Text(), grid(title, ["all", *names], columns, ["bold", *[""] * len(names)])]
    if len(survey.lookups) > len(names):
        parts += [Text(f"and {counted(len(survey.lookups) - len(names), 'look-up')} that could save less", style="dim")]
    if survey.hits is not None:
        parts += [Text(), *hits_recorded(survey.hits)]
    for finding in survey.findings[:_MOST_FINDINGS]:
        parts += [Text(), finding_text(finding)]
    if len(survey.findings) > _MOST_FINDINGS:
        more = counted(len(survey.findings) - _MOST_FINDINGS, "finding")
        parts += [Text(), Text(f"and {more} that touch fewer reads: --json has them all", style="dim")]
    return Group(*parts, *assumed(survey.assumptions))


def verdicts_text(survey: Survey) -> RenderableType:
    """The most that a cache can save, and a verdict on each look-up."""
    return Group(answer(survey), Text(), _verdicts(survey, list(survey.lookups)[:_MOST_LOOKUPS]))


def answer(survey: Survey) -> Text:
    """The most that keeping values could save, and where."""
    total = survey.total
    text = Text.assemble(
        *_behind(survey),
        (f"{format_share(total.repeat_share)} of {total.reads:,} reads", "bold"),
        " repeat a key that was read before",
        f", {format_share(total.fresh_repeat_share)} with its value unchanged since" if total.changes_known else "",
        ". No cache that does not preload, whoever shares it, can answer more than ",
        (format_share(total.answerable_share), "bold"),
        *(
            [", or more than ", (f"{format_share(total.fresh_answerable_share)} with fresh data", "bold"), ". "]
            if total.changes_known
            else [". ", _unknown_of(survey)]
        ),
    )
    if total.origin_time:
        saved, spent = format_seconds(total.saveable_time), format_seconds(total.origin_time)
        text.append(f"That could save {saved} of {spent} at the origin ({format_share(total.saveable_share)}), ")
        text.append("most of it with ")
    else:
        text.append("The trace gives no load times, so look-ups are weighed by their reads: most of them are of ")
    first, *others = list(survey.lookups)[:3]
    shares = [(name, format_share(saved_share(survey.lookups[name], total))) for name in (first, *others)]
    named = [f"{printable(name, NAME)} ({share})" for name, share in shares]
    return kept_together(text.append(" and ".join(filter(None, [", ".join(named[:-1]), named[-1]])) + "."))


def _behind(survey: Survey) -> list[str | tuple[str, str]]:
    """Says first that reads are missing, if the trace was recorded behind a cache."""
    spans = {name: format_seconds(span) for name, span in survey.behind.items()}
    if not spans:
        return []
    if survey.is_behind_stated:
        span = spans.popitem()[1]
        return [("Recorded behind a cache", "bold"), f" of {span}: the reads that it answered are missing. "]
    others = "; and others" if len(spans) > 3 else ""
    named = [f"{printable(name, NAME)} was read again within {span} of its last read" for name, span in spans.items()]
    return [
        ("Reads seem to be missing", "bold"),
        f": no key of {'; none of '.join(named[:3])}{others}. This looks like what a cache "
        "of that lifetime let through. If no cache stood before the recording, say so: --intake behind=no. ",
    ]


def _unknown_of(survey: Survey) -> str:
    """For which look-ups nobody knows how many of the answers would be correct."""
    names = [printable(name, NAME) for name, one in survey.lookups.items() if not one.changes_known]
    whole = len(names) == len(survey.lookups)
    of = "" if whole else f"For {', '.join(names[:3])}{' and others' if len(names) > 3 else ''}, "
    none = "the trace shows no changes (neither versions nor writes), so how many answers would be correct is unknown. "
    return of + (capitalised(none) if whole else none)


def _verdicts(survey: Survey, names: Sequence[str]) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), show_header=False)
    table.add_column(no_wrap=True)
    table.add_column()
    for name in names:
        verdict = survey.verdicts[name]
        sentence = Text.assemble((verdict.kind, "bold"), verdict.sentence.removeprefix(verdict.kind))
        table.add_row(Text(printable(name, NAME)), kept_together(sentence))
    return table


def _repeats(traits: Sequence[Traits]) -> list[Column]:
    return [
        plain("reads", [one.reads for one in traits]),
        plain("keys", [one.keys for one in traits]),
        plain("reads/key", [one.reads_per_key for one in traits]),
        in_one_unit("read once", [one.once_share for one in traits], SHARES),
        in_one_unit("repeats", [one.repeat_share for one in traits], SHARES),
        _if_known(traits, in_one_unit("unchanged", [one.fresh_repeat_share for one in traits], SHARES)),
        in_one_unit("nulls", [one.null_share for one in traits], SHARES),
        plain("busiest", [one.busiest_second for one in traits], "reads/s"),
    ]


def _costs(traits: Sequence[Traits]) -> list[Column]:
    total = traits[0].origin_time or 1.0
    return [
        in_one_unit("origin time", [one.origin_time for one in traits], SPANS),
        in_one_unit("share", [one.origin_time / total for one in traits], SHARES),
        in_one_unit("saveable", [one.saveable_time for one in traits], SPANS),
        in_one_unit("cost p50", [one.cost_p50 for one in traits], SPANS),
        in_one_unit("p95", [one.cost_p95 for one in traits], SPANS),
        in_one_unit("first", [one.cost_first for one in traits], SPANS),
        in_one_unit("size p50", [one.size_p50 for one in traits], SIZES),
        in_one_unit("p95", [one.size_p95 for one in traits], SIZES),
        in_own_units("all values", [one.size_of_all for one in traits], SIZES),
    ]


def _times(traits: Sequence[Traits]) -> list[Column]:
    changes = [three_digits(one.reads_per_change) if one.changes else "-" for one in traits]
    return [
        _if_known(traits, plain("changes", [one.changes for one in traits])),
        _if_known(traits, plain("changes/h", [one.changes_per_hour for one in traits])),
        Column("reads/change", "", changes),
        in_own_units("gap p50", [one.gap_p50 for one in traits], SPANS),
        in_own_units("p90", [one.gap_p90 for one in traits], SPANS),
        plain("scopes", [one.scopes for one in traits]),
        plain("reads/scope", [one.reads_per_scope for one in traits]),
        in_one_unit("repeats in it", [one.scope_repeat_share for one in traits], SHARES),
    ]


def _if_known(each: Sequence[Traits], column: Column) -> Column:
    """A number, or a dash if the trace shows no changes."""
    cells = zip(column.cells, each, strict=True)
    return column._replace(cells=[cell if one.changes_known or one.changes else "-" for cell, one in cells])


@shown.register
def finding_text(finding: Finding) -> RenderableType:
    title = Text.assemble((f"{printable(finding.lookup, NAME)}, keys {finding.kind}", "bold"), f": {finding.sentence}")
    title.append(f" ({counted(finding.reads, 'read')}).")
    examples = Text("\n".join(printable(example, 90) for example in finding.examples), style="dim")
    return Group(title, Padding(examples, (0, 0, 0, 4)))


@shown.register
def _traits(traits: Traits) -> RenderableType:
    rates = [traits.repeat_share, traits.fresh_repeat_share, traits.null_share]
    said = [plain("", [traits.reads]).cells[0], *map(format_share, rates)]
    return grid("traits", ["reads", "repeats", "unchanged", "nulls"], [Column("", "", said)], [""] * len(said))


@shown.register
def _verdict(verdict: Verdict) -> RenderableType:
    return Text(printable(verdict.sentence, most=500))
