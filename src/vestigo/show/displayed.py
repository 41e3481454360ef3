"""Shows returned objects as text, and as markup for notebooks, with the tables of the command line."""

from collections.abc import Callable, Mapping
from io import StringIO
from typing import Any

from rich.console import Console, RenderableType
from rich.text import Text

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.compare import Comparison
from vestigo.choosing.estimate import Estimate
from vestigo.choosing.pick import Pick
from vestigo.choosing.share_out import Sharing
from vestigo.choosing.sweep import Sweep
from vestigo.describing.findings import Finding
from vestigo.describing.survey import Survey
from vestigo.describing.traits import Traits
from vestigo.describing.verdict import Verdict
from vestigo.engine.size_curve import SizeCurve
from vestigo.explaining.check.findings import Check, Mistake
from vestigo.explaining.confirm.confirmation import Confirmation
from vestigo.explaining.drive.driven import Driven
from vestigo.explaining.report import Report
from vestigo.explaining.why.story import Step, Story
from vestigo.measures import MEASURES
from vestigo.outcome import Keys, Measures, Outcome, Reads, Slice, Slices
from vestigo.rules import Aim, Plan, Worth
from vestigo.rules.checked import Checked
from vestigo.show.check import check_text, mistake_text
from vestigo.show.confirmation import confirmation_text
from vestigo.show.driven import driven_text
from vestigo.show.grid import WIDTH, Column, grid, in_one_unit, plain
from vestigo.show.markup import markup
from vestigo.show.outcome import measures_text, outcome_text, slices_text
from vestigo.show.safe import HELD, printable
from vestigo.show.settings import plan_shown, stated_shown
from vestigo.show.story import step_text, story_text
from vestigo.show.study import candidate_text, curves_text, pick_text, sweep_text
from vestigo.show.survey import finding_text, survey_text
from vestigo.show.tables import comparison_text
from vestigo.show.watched import keys_text, reads_text
from vestigo.trace import Intake, Trace
from vestigo.units import SHARES, SIZES, format_bytes, format_seconds, format_share


def text(what: object) -> str:
    """The text of an object, at most 100 columns wide and without colours."""
    found = StringIO()
    Console(file=found, width=WIDTH, color_system=None, highlight=False, markup=False, emoji=False).print(shown(what))
    lines = found.getvalue().replace(HELD, " ").split("\n")
    return "\n".join(line.rstrip() for line in lines).rstrip("\n")


def html(what: object) -> str:
    """The same tables and sentences as markup for a notebook."""
    return markup(shown(what))


def page(report: Report) -> str:
    """The object as a document for a browser."""
    from vestigo.show.page.report import report_html

    return report_html(report)


def shown(what: object) -> RenderableType:
    """The tables that the command line shows for an object."""
    for kind, show in _SHOWS.items():
        if isinstance(what, kind):
            return show(what)
    return Text(repr(what))


def _estimate(found: Estimate) -> RenderableType:
    rates = [name for name in ("hit_rate", "fresh_hit_rate", "stale_rate") if name in found.told]
    if not rates:
        return Text("The sample is too small to tell anything; take a larger share of the keys, or more samples.")
    columns = [
        in_one_unit("estimate", [getattr(found, name) for name in rates], SHARES),
        in_one_unit("may be off by", [found.errors[name] for name in rates], SHARES),
    ]
    return grid("from a sample of the keys", [MEASURES[name].label for name in rates], columns, [""] * len(rates))


def _sharing(found: Sharing) -> RenderableType:
    names, sizes = list(found.shares), list(found.shares.values())
    columns = [
        in_one_unit("room", sizes, SIZES),
        in_one_unit("of all", [size / found.total_bytes for size in sizes], SHARES),
    ]
    return grid(f"{format_bytes(found.total_bytes)} shared out", names, columns, [""] * len(names))


def _trace(trace: Trace) -> RenderableType:
    rows = {
        "events": f"{len(trace):,}",
        "reads": f"{trace.reads:,}",
        "look-ups": ", ".join(printable(name) for name in trace.lookups[:10]),
        "keys": f"{len(trace.keys):,}",
        "nodes": f"{len(trace.nodes):,}",
        "time": format_seconds(trace.span_ns / 1e9),
    }
    return grid(printable(trace.source), list(rows), [Column("", "", list(rows.values()))], [""] * len(rows))


def _traits(traits: Traits) -> RenderableType:
    rates = [traits.repeat_share, traits.fresh_repeat_share, traits.null_share]
    said = [plain("", [traits.reads]).cells[0], *map(format_share, rates)]
    return grid("traits", ["reads", "repeats", "unchanged", "nulls"], [Column("", "", said)], [""] * len(said))


def _one(measures: Measures) -> RenderableType:
    return measures_text({"slice" if isinstance(measures, Slice) else "look-up": measures})


_SHOWS: Mapping[Any, Callable[[Any], RenderableType]] = {
    Outcome: outcome_text,
    Measures: _one,
    Slices: slices_text,
    Reads: reads_text,
    Story: story_text,
    Check: check_text,
    Driven: driven_text,
    Confirmation: confirmation_text,
    Mistake: mistake_text,
    Step: step_text,
    Keys: keys_text,
    Comparison: comparison_text,
    Survey: survey_text,
    Finding: finding_text,
    Traits: _traits,
    SizeCurve: lambda curve: curves_text([curve]),
    Sweep: sweep_text,
    Candidate: candidate_text,
    Pick: pick_text,
    Report: lambda report: pick_text(report.pick),
    Estimate: _estimate,
    Sharing: _sharing,
    Trace: _trace,
    Plan: plan_shown,
    Checked: stated_shown,
    Aim: stated_shown,
    Worth: stated_shown,
    Intake: stated_shown,
    Verdict: lambda verdict: Text(printable(verdict.sentence, most=500)),
}
"""In this order: an outcome is measures, too."""
