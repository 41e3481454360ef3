"""``report``: all of the work on one trace and plan, collected for a page that others read."""

import dataclasses
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from vestigo.arguments import path_of, several, shown, whole_number
from vestigo.choosing.compare import Comparison, compare
from vestigo.choosing.finding.answers import FOUND
from vestigo.choosing.finding.found import Search
from vestigo.choosing.finding.search import search
from vestigo.choosing.pick import Pick
from vestigo.choosing.run_sweep import SHARE_FOR_REST, sweep
from vestigo.choosing.store import trace_name
from vestigo.choosing.sweep import Sweep
from vestigo.data import Data, Told, page_of
from vestigo.describing.survey import Survey, survey
from vestigo.engine import key_by_key
from vestigo.engine.replay import replay
from vestigo.engine.size_curve import SizeCurve, size_curve, with_rates_of
from vestigo.errors import InputError, RulesError
from vestigo.explaining.check.findings import Check
from vestigo.explaining.check.trials import check
from vestigo.explaining.drift.drift import Drift
from vestigo.explaining.drift.run import drift
from vestigo.explaining.rehearse.rehearsal import Rehearsal
from vestigo.explaining.rehearse.run import rehearse
from vestigo.explaining.why.story import Story
from vestigo.explaining.why.tell import why
from vestigo.files import write_text
from vestigo.outcome import Outcome
from vestigo.progress import Progress, reporting
from vestigo.rules import Plan
from vestigo.rules.plan import Engine
from vestigo.rules.plan_parts import TODAY
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.rules.vary import is_searched
from vestigo.threads import each_side_by_side
from vestigo.trace import Readable, Trace

if TYPE_CHECKING:
    import pandas as pd

_WORST = {"origin_time_ns": 3, "stale_hits": 2}
"""Of how many keys that lose most a story is told, by what they lose."""
_PARTS = "parts of the report"
PICKED = "the pick"
_MOST_CURVES = 12
"""Look-ups whose sizes are shown, those that could save most."""


@dataclass(frozen=True, eq=False, repr=False)
class Report(Data):
    """What a colleague needs to follow a choice of settings, and to repeat it. `report` returns it."""

    survey: Survey
    comparison: Comparison
    """Today's settings, the plan's candidates, no cache and the ceilings."""
    pick: Pick
    picked: Outcome
    """The replay of the pick."""
    curves: tuple[SizeCurve, ...]
    """The size curves of the look-ups that could save most."""
    check: Check
    stories: tuple[Story, ...]
    """The stories of the keys that lose most under today's settings."""
    plan: Plan
    notes: tuple[str, ...]
    """Notes from reading the trace."""
    events: int
    digest: str
    """The digest of everything that the trace holds."""
    rehearsal: Rehearsal | None = None
    """How a restart at the worst minute goes, with today's settings and with the pick."""
    drift: Drift | None = None
    """What is different from an earlier recording, if one was named."""
    asked: tuple[str, ...] = ()
    """The words that name the trace and the plan on the command line, if they are known."""

    @property
    def found(self) -> Sweep:
        """Every candidate that was tried."""
        found = self.pick.among
        assert isinstance(found, Sweep)
        return found

    @property
    def today(self) -> Outcome:
        return self.comparison[self.comparison.settings[0]]

    @property
    def is_choice(self) -> bool:
        """Whether there was more than one candidate to choose from."""
        return len(self.found) > 1

    @property
    def assumptions(self) -> list[str]:
        """All assumptions behind the numbers that the trace does not state."""
        settings = [self.comparison[name] for name in self.comparison.settings]
        each = (self.survey.assumptions, *(one.assumptions for one in (*settings, self.picked)))
        return list(dict.fromkeys(said for one in each for said in one))

    def to_html(self) -> str:
        """The page: one document that needs no network."""
        return page_of(self)

    def write(self, path: str | Path) -> Path:
        """Writes the page, whole or not at all, and returns the path. Raises InputError if it cannot be written, or if
        the path does not end in .html.
        """
        path = path_of("path", path)
        if path.suffix.lower() not in (".html", ".htm"):
            raise InputError(f"{path}: a report is a page; name the file .html")
        write_text(path, self.to_html())
        return path

    TOLD = (
        *(
            "events",
            "digest",
            "survey",
            "comparison",
            "pick",
            "curves",
            "check",
            "stories",
            "drift",
            "assumptions",
            "notes",
        ),
    )

    def to_dict(self) -> Told:
        """The data of each part by name. Of the candidates it has only the pick (`found` has all)."""
        return {"source": self.survey.source, **super().to_dict()}

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each candidate, as in the sweep."""
        return self.found.to_pandas()

    def __repr__(self) -> str:
        return f"<Report on {self.survey.source}: {self.pick.because[0]}>"


def report(  # noqa: PLR0913  # options by name
    trace: Readable,
    settings: Settings,
    *,
    found: Sweep | None = None,
    results: str | Path | None = None,
    rest: str = SHARE_FOR_REST,
    seed: int = 0,
    before: Readable | None = None,
    asked: Sequence[str] = (),
    engine: Engine = "native",
    progress: Progress | bool | None = None,
) -> Report:
    """Does all of the work on one trace: what is in it, what today's settings give, which settings to take and why,
    what each rule earns, and the stories of the keys that lose most. `Report.write` makes one HTML page of it.

    `found` is a sweep or search of the same trace and plan. Without it every candidate of the plan is replayed, or the
    settings of each look-up are searched for if the plan says so, with `results` and `rest` as in `sweep`. `before` is
    an earlier recording, from which the page says what is different (see `drift`). `asked` has the words that name the
    trace and the plan on the command line, such as ``["reads.parquet", "--plan", "plan.toml"]``. With them the page
    says how to make it again. `progress` is as in `sweep`.

    Raises InputError for a trace without reads, and RulesError if the settings do not fit it, or if `found` is of other
    settings or of another trace.

    >>> import vestigo as vg
    >>> trace = vg.synth(5_000, keys=500, seed=1)
    >>> made = report(trace, vg.Plan(vg.Rules(max_entries=50), vary={"rules.max_entries": [100, 200]}))
    >>> made.pick.candidate.name, made.to_html().startswith("<!doctype html>")
    ('max_entries=200', True)
    """
    plan = plan_of(settings, engine)
    words = several("asked", asked, '["reads.parquet"]')
    given = trace_of(trace, plan)
    if given.reads == 0:
        raise InputError(f"{given.source}: holds no reads, so there is nothing to report")
    with reporting(progress) as tell:
        if found is None:
            find = search if is_searched(plan.vary) else sweep
            found = find(given, plan, results=results, rest=rest, engine=engine, progress=tell)
        else:
            _check_found(found, plan)
        made = _made(given, plan, found, results, whole_number("seed", seed, 0), words, tell)
        if before is None:
            return made
        return dataclasses.replace(made, drift=drift(before, given, plan, results=results, progress=tell))


def _made(  # noqa: PLR0913, PLR0917  # all that is known by then
    given: Trace,
    plan: Plan,
    candidates: Sweep,
    results: str | Path | None,
    seed: int,
    words: Sequence[str],
    tell: Progress,
) -> Report:
    pick = candidates.choose(seed=seed)
    is_today = pick.plan.replayed_to_dict() == candidates.today.plan.replayed_to_dict()
    compared = plan
    if isinstance(candidates, Search) and pick.candidate.name == FOUND and not is_today:
        compared = dataclasses.replace(plan, candidates={**plan.candidates, FOUND: pick.plan})
    comparison = compare(given, compared, engine=plan.engine, progress=False)
    _check_of_this_trace(candidates, comparison, given)
    tell(_PARTS, 1, 6)
    surveyed = survey(given)
    name = TODAY if is_today else pick.candidate.name
    picked = comparison[name] if name in comparison else replay(given, pick.plan, engine=plan.engine)
    picked = dataclasses.replace(picked, name=PICKED)
    tell(_PARTS, 2, 6)
    largest = list(surveyed.lookups)[:_MOST_CURVES]
    curves = each_side_by_side(lambda name: size_curve(given, plan, lookup=name), largest)
    tell(_PARTS, 3, 6)
    # Before the stories: what they take of memory stays for a while, and moments take much, too.
    asked = dataclasses.replace(plan, candidates={}).beside({} if is_today else {PICKED: pick.plan})
    rehearsed = rehearse(given, asked, moments=["restart"], engine=plan.engine, progress=False)
    tell(_PARTS, 4, 6)
    checked = check(given, plan, results=results, engine=plan.engine, progress=False)
    tell(_PARTS, 5, 6)
    stories = tuple(_stories(given, plan))
    tell(_PARTS, 6, 6)
    return Report(
        survey=surveyed,
        comparison=comparison,
        pick=pick,
        picked=picked,
        curves=tuple(with_rates_of(comparison[TODAY], curves)),
        check=checked,
        stories=stories,
        rehearsal=rehearsed,
        plan=plan,
        notes=given.notes,
        events=len(given),
        digest=trace_name(given),
        asked=tuple(words),
    )


def _check_found(found: Sweep, plan: Plan) -> None:
    if not isinstance(found, Sweep):
        raise RulesError(f"found: {shown(found)} is not a sweep; give what vestigo.sweep or vestigo.search returned")
    if found.today.plan.replayed_to_dict() != plan.replayed_to_dict() or found.aim != plan.aim:
        raise RulesError("found: is of other settings than these; give the sweep of the same plan, or leave it out")


def _check_of_this_trace(found: Sweep, comparison: Comparison, trace: Trace) -> None:
    """The same settings give the same counts on the same trace alone."""
    if found.today.whole.to_dict() != comparison[TODAY].to_dict():
        raise RulesError(f"found: is of another trace than {trace.source}; give the sweep of this one, or leave it out")


def _stories(trace: Trace, plan: Plan) -> Iterator[Story]:
    """The stories of the keys that lose most under today's settings, each once."""
    keys = key_by_key(trace, plan, engine=plan.engine)
    worst = dict.fromkeys(key for loss, most in _WORST.items() for key in keys.worst(loss, most).tolist())
    for key in worst:
        lookup = keys.trace.lookups[keys.trace.key_lookup[key]]
        yield why(trace, plan, lookup=lookup, key=str(keys.trace.keys[key]), engine=plan.engine)
