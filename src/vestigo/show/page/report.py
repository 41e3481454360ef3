"""A report as one HTML document."""

from collections.abc import Sequence
from itertools import chain
from pathlib import Path
from typing import NamedTuple

from markupsafe import Markup
from rich.text import Text

from vestigo import __version__
from vestigo.choosing.finding.found import Search
from vestigo.choosing.pick import Pick
from vestigo.choosing.reasons import better_and_worse, how_sure, neighbours
from vestigo.data import Told
from vestigo.explaining.report import Report
from vestigo.explaining.why.story import Story
from vestigo.measures import MEASURES, is_told
from vestigo.outcome import CAUSES, Outcome
from vestigo.outcome.counts import WORDS
from vestigo.rules import Plan
from vestigo.rules.plan_text import plan_text
from vestigo.show import figures
from vestigo.show.charts.every_size import enough_text
from vestigo.show.charts.over_time import CHARTS, OF_THE_ORIGIN
from vestigo.show.check import check_text, check_words
from vestigo.show.drifted import drift_text
from vestigo.show.notes import kept_together
from vestigo.show.outcome import over_time as table_over_time
from vestigo.show.page.charts import described
from vestigo.show.page.converted import converted
from vestigo.show.page.frame import BOKEH, rendered
from vestigo.show.page.pictures import picture
from vestigo.show.page.report_charts import (
    drawn_front,
    drawn_over_time,
    drawn_sizes,
)
from vestigo.show.page.report_front import (
    FIRST,
    better,
    candidates_shown,
    candidates_told,
    difference,
    front,
    measures_told,
    whole,
)
from vestigo.show.pick import found_tables
from vestigo.show.safe import HELD, command_text, printable
from vestigo.show.story import story_text
from vestigo.show.study import curves_text
from vestigo.show.survey import survey_text
from vestigo.show.tables import answer
from vestigo.units import counted, format_share, format_span, format_time

_SECTIONS = {
    "answer": "The answer",
    "drift": "What is different from before",
    "trace": "The trace",
    "worth": "What is worth keeping",
    "whose": "Whose cache it is",
    "front": "All candidates",
    "sizes": "How much room helps",
    "time": "Over time",
    "causes": "Why reads were misses",
    "rules": "What each rule earns",
    "keys": "The keys that lose most",
    "plan": "The plan to use",
    "how": "How this was done",
}
_TIMES = {
    "hits": "Hit rate",
    "stale": "Stale hits",
    "calls": "Origin calls",
    "memory": "Memory",
    "failed": "Failed reads",
    "waiting": "Calls that wait for the origin",
}


_WORSE = 5
"""So many measures that get worse are named at once."""


class Cell(NamedTuple):
    text: str
    kind: str = "number"


class Table(NamedTuple):
    heads: Sequence[str]
    rows: Sequence[Sequence[object]]
    kind: str = ""


def report_html(report: Report) -> str:
    """The page. Keys and names from the trace are text everywhere."""
    shown = candidates_shown(report)
    of_front, front_legend = drawn_front(report.found, report.pick, shown)
    of_sizes, sizes_legend = drawn_sizes(report.curves)
    over_time = drawn_over_time(report.today, report.picked if report.is_choice else None)
    charts = {"front": of_front, "sizes": of_sizes, **over_time}
    return rendered(
        "report.html",
        {
            "source": printable(Path(report.survey.source).name or report.survey.source, 200),
            "sections": {
                name: title for name, title in _SECTIONS.items() if name != "drift" or report.drift is not None
            },
            "is_choice": report.is_choice,
            **_answer(report),
            **_drift(report),
            **_trace(report),
            "survey": converted(survey_text(report.survey)),
            **_whose(report),
            **front(report, shown),
            "front_legend": front_legend,
            "sizes_legend": sizes_legend,
            "enough": enough_text(report.curves),
            "sizes": converted(curves_text(report.curves)),
            "sizes_still": picture("sizes", "hit rate at every size", lambda: figures.size_curves(report.curves)),
            **_times(report),
            **_causes(report),
            "check": converted(check_text(report.check)),
            "checked": _safe([check_words(report.check)])[0],
            "stories": [_story(number, one, report.asked) for number, one in enumerate(report.stories)],
            **_plans(report),
            **_how(report),
        },
        (BOKEH, "page.js", "report.js"),
        {
            "charts": {name: described(one) for name, one in charts.items()},
            "front-data": candidates_told(report, shown),
        },
    )


def _safe(lines: Sequence[str]) -> list[str]:
    """Sentences whose numbers stay with their units."""
    return [kept_together(Text(printable(line, most=2000))).plain.replace(HELD, "\u00a0") for line in lines]


def _answer(report: Report) -> dict[str, object]:
    pick, today = report.pick, report.today
    verdict = pick.because[0]
    if not report.is_choice:
        verdict = (
            f"Today's settings answer {format_share(today.hit_rate)} of {counted(today.reads, 'read')}. No others were "
            "compared: the plan names no candidates, and nothing that varies."
        )
    beside = _measures_beside(report)
    worse = better_and_worse(pick)[1] if report.is_choice and pick.candidate.name != report.found.today.name else []
    return {
        "verdict": _safe([verdict])[0],
        "standing": converted(answer(report.comparison)),
        "measures_beside": beside._replace(rows=beside.rows[: len(FIRST)]),
        "more_measures": beside._replace(rows=beside.rows[len(FIRST) :]),
        "worse": _worse(worse),
        "bad_day": _safe([report.rehearsal.in_words])[0] if report.rehearsal is not None else "",
        **_sureness(pick),
        "rests_on": _safe(report.assumptions) or ["nothing but the trace"],
    }


def _worse(measures: Sequence[str]) -> str:
    """The measures that get worse, in one line."""
    if not measures:
        return ""
    end = "." if len(measures) <= _WORSE else "; and more, below."
    return _safe(["; ".join(measures[:_WORSE]) + end])[0]


def _sureness(pick: Pick) -> dict[str, object]:
    """How sure the pick is, what was close, and what else a search has found."""
    found, tables = pick.among, list[Markup]()
    sure, near = list[str](), list[str]()
    if isinstance(found, Search) and found.answers is not None:
        sure, tables = list(pick.because[1:]), [converted(table) for table in found_tables(pick, found)]
    elif pick.is_met:
        sure, near = how_sure(pick), neighbours(pick)
    first, *more = _safe(sure) or [""]
    return {"how_sure": first, "surer": more, "neighbours": _safe(near), "found_tables": tables}


def _measures_beside(report: Report) -> Table:
    candidates, pick = report.found, report.pick.candidate
    no_cache, *ceilings = candidates.references.values()
    columns = [("no cache", no_cache), ("today", candidates.today)]
    called = "the pick" if report.pick.is_met else "the closest"
    judged = [(called, pick)] if report.is_choice and pick.name != candidates.today.name else []
    columns += [*judged, *((one.name, one) for one in ceilings)]
    rows = []
    for name in measures_told(report):
        cells = [Cell(MEASURES[name].amount_text(one.measure(name))) for _, one in columns]
        words = [{1: "better", -1: "worse"}.get(better(name, one, candidates.today), "") for _, one in judged]
        rows.append([MEASURES[name].label, *cells, *(Cell(word, f"words {word}") for word in words)])
    heads = ["measure", *(head for head, _ in columns), *(f"{head} is" for head, _ in judged)]
    return Table(heads, rows, "measures")


def _drift(report: Report) -> dict[str, object]:
    found = report.drift
    if found is None:
        return {"drift": ""}
    return {
        "drift": converted(drift_text(found)),
        "drift_still": picture("drift", "what is different", lambda: figures.drift(found), (12.8, 5)),
    }


def _trace(report: Report) -> dict[str, object]:
    total, today = report.survey.total, report.today
    begins, ends = (today.slices[0].begins_ns, today.slices[-1].ends_ns) if today.slices else (0, 0)
    rows = {
        "recording": printable(report.survey.source, 300),
        "events": f"{report.events:,}",
        "reads": f"{total.reads:,}",
        "reads that were counted": f"{today.reads:,}",
        "look-ups": ", ".join(printable(name, 60) for name in report.survey.lookups),
        "keys": f"{total.keys:,}",
        "counted from": format_time(begins),
        "until": format_time(ends),
        "time": format_span((ends - begins) / 1e9),
        "whose cache": printable(today.whose or "one process", most=300),
    }
    unknowns = [*report.assumptions, *report.notes, *report.found.left_out]
    if not report.found.stale_known:
        unknowns.insert(0, report.found.staleness_unknown)
    unknowns += [f"{finding.lookup}: {finding.sentence}" for finding in report.survey.findings]
    always = "Reads that never reached the recording, and how readers would behave if they were answered sooner."
    return {
        "facts": Table(["what", "here"], [[name, Cell(text, "words")] for name, text in rows.items()], "facts"),
        "unknowns": [*_safe(unknowns), always],
    }


def _whose(report: Report) -> dict[str, object]:
    today, pick = report.plan, report.pick.candidate.plan
    whose = printable(report.today.whose, most=300)
    said = f"Replayed: {whose}." if whose else "The trace names no nodes: it is the recording of one process."
    return {
        "whose": f"{said} A cache of its own starts cold, and knows nothing of the others' changes unless it is told.",
        "whose_rules": Table(
            ["look-up", "today", "the pick"],
            [
                [printable(name, 60), Cell(_whose_words(today, name), "words"), Cell(_whose_words(pick, name), "words")]
                for name in report.survey.lookups
            ],
            "sorts",
        ),
    }


def _whose_words(plan: Plan, lookup: str) -> str:
    rules = plan.rules_for(lookup)
    if rules.per != "node":
        return {"all": "one cache for all nodes", "scope": "a cache for each scope"}[rules.per]
    told_of_writes = {
        "nothing": "others are not told of writes",
        "drop": "others drop what is written",
        "copy": "others copy what is written",
    }[rules.tell_nodes]
    delay = f", after {rules.tell_delay}" if rules.tell_nodes != "nothing" else ""
    return f"a cache for each node; {told_of_writes}{delay}"


def _times(report: Report) -> dict[str, object]:
    today, picked = report.today, report.picked if report.is_choice else None
    return {
        "times": {name: title for name, title in _TIMES.items() if is_told((CHARTS | OF_THE_ORIGIN)[name], today)},
        "time_still": picture("today", "today's settings over time", lambda: figures.timeline(today)),
        "picked_still": picture("picked", "the pick over time", lambda: figures.timeline(picked)) if picked else "",
        "time_table": converted(table_over_time("from (UTC)", today.slices)) if today.slices else "",
        "picked_time_table": converted(table_over_time("from (UTC)", picked.slices))
        if picked is not None and picked.slices
        else "",
    }


def _causes(report: Report) -> dict[str, object]:
    outcomes: list[tuple[str, Outcome]] = [("today", report.today)]
    if report.is_choice:
        outcomes.append(("the pick", report.picked))
    rows = []
    for cause in CAUSES:
        counts = [one.misses_by_cause[cause] for _, one in outcomes]
        if any(counts):
            shares = [format_share(count / max(one.reads, 1)) for count, (_, one) in zip(counts, outcomes, strict=True)]
            cells = [(Cell(f"{count:,}"), Cell(share)) for count, share in zip(counts, shares, strict=True)]
            rows.append([WORDS[cause].label, *chain(*cells), Cell(WORDS[cause].meaning, "words")])
    heads = ["cause", *(head for name, _ in outcomes for head in (f"misses, {name}", "of all reads")), "what it means"]
    return {
        "causes": Table(heads, rows, "sorts"),
        "causes_still": picture("causes", "misses by cause", lambda: figures.causes(report.today), (8, 3.6)),
    }


def _story(number: int, story: Story, words: Sequence[str]) -> Told:
    name = printable(f"{story.lookup} {story.key}", 80)
    return {
        "title": name,
        "picture": picture(f"story{number}", f"the life of {name}", lambda: figures.story(story), (12.8, 4.2)),
        "text": converted(story_text(story, ("vestigo", "replay", *words))),
    }


def _plans(report: Report) -> dict[str, object]:
    today, picked = (
        plan_text(whole(one.plan, report.plan).to_dict()) for one in (report.found.today, report.pick.candidate)
    )
    return {
        "difference": list(difference(today, picked)) or [("", "Today's settings stay as they are.")],
        "picked_plan": picked,
        "today_plan": today,
    }


def _how(report: Report) -> dict[str, object]:
    found = report.found
    made = f"{counted(len(found), 'candidate')} and {counted(len(found.references), 'reference')}"
    names = [(MEASURES[name].label, MEASURES[name].meaning) for name in measures_told(report)]
    return {
        "made_by": (
            f"Vestigo {__version__} replayed {counted(report.events, 'event')} for each of {made}. The trace's digest, "
            f"of all that it holds, is {report.digest}. The same trace and plan give the same page."
        ),
        "commands": _commands(report),
        "definitions": names,
    }


def _commands(report: Report) -> str:
    """The commands that do each part of the work again, then the page."""
    if not report.asked:
        return "vg.report(trace, plan).write('report.html')"
    each = [["vestigo", verb, *report.asked] for verb in ("replay", "choose", "check", "report")]
    if report.drift is not None:
        before = ["--before", report.drift.before]
        each[-1:] = [["vestigo", "check", *report.asked, *before], [*each[-1], *before]]
    return "\n".join(command_text(words, 0, 100) for words in each)
