"""The front of a report: which candidates the page shows, what it says of each, and how their plans differ."""

import difflib
from collections.abc import Iterator, Sequence
from dataclasses import replace

from vestigo.choosing.candidates import Candidate
from vestigo.explaining.report import Report
from vestigo.measures import MEASURES, is_told
from vestigo.rules import Plan
from vestigo.rules.plan_text import plan_text
from vestigo.rules.vary import name_of, place_of
from vestigo.show import figures
from vestigo.show.charts.candidates import ceiling_text
from vestigo.show.page.knobs import values_of
from vestigo.show.page.pictures import picture
from vestigo.show.safe import printable
from vestigo.units import counted

FIRST = ("hit_rate", "fresh_hit_rate", "stale_rate", "loads", "read_time.mean", "read_time.p95", "memory_peak")
"""Measures that are shown first; the others follow."""
_MOST_CANDIDATES = 1000
_MOST_ROWS = 30
_HEADING = 3
"""Lines before those that are compared."""


def measures_told(report: Report) -> list[str]:
    """The measures that the trace can tell, the most important first."""
    names = [*FIRST, *(name for name in MEASURES if name not in FIRST)]
    return [name for name in names if is_told(name, report.found)]


def better(name: str, candidate: Candidate, today: Candidate) -> int:
    """1 if a candidate is better than today's settings in a measure, -1 if it is worse, and 0 if both are written
    alike.
    """
    return MEASURES[name].better(candidate.measure(name), today.measure(name))


def candidates_shown(report: Report) -> list[Candidate]:
    """The candidates in a page: today's and the pick, then the front, then as many others as the page can hold."""
    found = report.found
    first = [found.today, report.pick.candidate, *found.front()]
    return list({one.name: one for one in (*first, *found.values())}.values())[:_MOST_CANDIDATES]


def candidates_told(report: Report, shown: Sequence[Candidate]) -> dict[str, object]:
    """What the page says of each candidate."""
    names, today = measures_told(report), report.found.today
    before = plan_text(whole(today.plan, report.plan).to_dict())
    return {
        "measures": [MEASURES[name].label for name in names],
        "today": [MEASURES[name].amount_text(today.measure(name)) for name in names],
        "candidates": [
            {
                "name": printable(one.name, most=500),
                "rules": _changes(before, plan_text(whole(one.plan, report.plan).to_dict())),
                "amounts": [MEASURES[name].amount_text(one.measure(name)) for name in names],
                "better": [better(name, one, today) for name in names],
            }
            for one in shown
        ],
    }


def front(report: Report, shown: Sequence[Candidate]) -> dict[str, object]:
    """The table beside the chart, with a row for each best trade-off, today's settings and the pick."""
    candidates = report.found
    unbeaten, numbers = candidates.front(), {one.name: number for number, one in enumerate(shown)}
    every = list({one.name: one for one in (candidates.today, report.pick.candidate, *unbeaten)}.values())
    rows, more = every[:_MOST_ROWS], len(every) - _MOST_ROWS
    names = [name for name in measures_told(report) if name in FIRST]
    of = "hit rate, memory and stale hits" if candidates.stale_known else "hit rate and memory"
    summary = (
        f"{counted(len(candidates), 'candidate')}, {len(unbeaten):,} of them the best trade-offs: no other is at least "
        f"as good in {of}. {ceiling_text(candidates)}"
    )
    hidden = len(candidates) - len(shown)
    varied = _varied(rows)
    return {
        "front_says": summary + (f" The page holds {len(shown):,} of them." if hidden > 0 else ""),
        "front_still": picture(
            "front", "all candidates by memory and hits", lambda: figures.front(candidates, report.pick)
        ),
        "front_rules": [printable(name_of({key: ""}).rstrip("="), most=80) for key in varied],
        "front_heads": [MEASURES[name].label for name in names],
        "front_rows": [
            {
                "number": numbers[one.name],
                "name": printable(_named(one, report.pick.candidate, numbers[one.name]), most=300),
                "rules": [printable(values[row], most=80) for values in varied.values()],
                "cells": [MEASURES[name].amount_text(one.measure(name)) for name in names],
            }
            for row, one in enumerate(rows)
            if one.name in numbers
        ],
        "front_more": f"And {more:,} more, which `vestigo choose --all` lists." if more > 0 else "",
    }


def _varied(rows: Sequence[Candidate]) -> dict[str, list[str]]:
    """What varies in a grid, by dotted key, and its value in each row."""
    keys = dict.fromkeys(key for one in rows if one.is_of_grid for key in one.changes)
    said = [values_of(one.plan, tuple(one.lookups)) for one in rows]
    values = {key: [each.get(_place(key), {}).get(place_of(key)[2], "") for each in said] for key in keys}
    return {key: each for key, each in values.items() if len(set(each)) > 1}


def _place(key: str) -> str:
    table, name, _ = place_of(key)
    return f"{table}.{name}" if name else table


def _named(candidate: Candidate, pick: Candidate, number: int) -> str:
    if not candidate.is_of_grid:
        return candidate.name
    return "the pick" if candidate.name == pick.name else f"no. {number}"


def _changes(before: str, after: str) -> str:
    """The lines of two plans that differ, as one text."""
    return "\n".join(line for _, line in difference(before, after)) or "today's settings"


def whole(settings: Plan, plan: Plan) -> Plan:
    """A candidate's settings, with the plan's trace and aim, so that they can be replayed alone."""
    return replace(settings, trace_path=plan.trace_path, intake=plan.intake, aim=plan.aim)


def difference(before: str, after: str) -> Iterator[tuple[str, str]]:
    """Lines that are ``added`` or ``gone``, each below the name of its table."""
    marks = {"+": "added", "-": "gone"}
    one, other = before.splitlines(), after.splitlines()
    compared = list(difflib.unified_diff(one, other, n=len(one) + len(other), lineterm=""))[_HEADING:]
    table, is_said = "", True
    for line in compared:
        mark, text = line[0], line[1:]
        if text.startswith("["):
            table, is_said = text, mark in marks
        if mark in marks:
            if not is_said:
                yield "", f"  {table}"
                is_said = True
            if text:
                yield marks[mark], f"{mark} {text}"
