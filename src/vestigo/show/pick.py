"""Shows what was chosen: the answer, the rules that change, what gets better and worse, and how sure that is."""

from collections.abc import Mapping, Sequence

from rich.columns import Columns
from rich.console import Group, RenderableType
from rich.text import Text

from vestigo.choosing.finding.found import Search
from vestigo.choosing.pick import Pick
from vestigo.choosing.proof import ChangeWorth
from vestigo.explaining.report import Report
from vestigo.measures import MEASURES, is_told
from vestigo.rules import Rules
from vestigo.rules.plan_text import rule_text
from vestigo.rules.vary import key_of, place_of
from vestigo.show.found import by_memory, clocks, would_bring
from vestigo.show.grid import Column, grid
from vestigo.show.notes import assumed, kept_together
from vestigo.show.safe import printable
from vestigo.show.view import shown

_TOLD = ("hit_rate", "fresh_hit_rate", "stale_rate", "loads", "origin_time", "read_time.p95", "memory_peak")
_KEY, _VALUE = 34, 20
_MOST_CHANGES = 24
_FEW = 2
"""So many moments are named, of more the first."""
_JUDGED = {1: "better", 0: "same", -1: "worse"}


@shown.register
def pick_text(pick: Pick) -> RenderableType:
    """The answer, on one screen."""
    candidates = pick.among
    found = candidates if isinstance(candidates, Search) and candidates.answers is not None else None
    first, *others = [kept_together(Text(printable(line, most=1500))) for line in pick.because]
    first.stylize("bold")
    proof = others[:1] if found is not None else []
    return Group(
        *([Text(f"Replayed: {printable(candidates.today.whose, most=300)}.")] if candidates.today.whose else []),
        first,
        *proof,
        Text(),
        *changes(pick),
        Columns([_measures(pick), *(by_memory(pick, found) if found is not None else [])], padding=(0, 6)),
        Text(),
        *others[len(proof) :],
        *([*clocks(found), *would_bring(pick, found)] if found is not None else []),
        *assumed(candidates.today.assumptions),
        *(Text(f"\n{printable(note, most=300)}") for note in candidates.notes if note not in candidates.left_out),
    )


@shown.register
def _report_text(report: Report) -> RenderableType:
    return pick_text(report.pick)


def found_tables(pick: Pick, found: Search) -> list[RenderableType]:
    """What a search found besides its measures: what each change is worth, less memory, and other rules."""
    return [*changes(pick), *by_memory(pick, found), *clocks(found), *would_bring(pick, found)]


def changes(pick: Pick) -> list[RenderableType]:
    """A row for each rule that is not as today, and if a search found it, what the aim is if that alone is left out."""
    worth = pick.proof.worth if pick.proof is not None else ()
    rows = [(each.today, each.now, without_text(pick, each)) for each in worth]
    rows = rows or [(*change, "") for change in _differences(pick)]
    if not rows:
        return []
    lines = [
        (rules_changed(after), *(_values(each) for each in (before, after)), without) for before, after, without in rows
    ]
    names, *cells = zip(*lines[:_MOST_CHANGES], strict=True)
    columns = [Column(pick.among.settings.short, "", cells[0]), Column(_called(pick), "", cells[1])]
    if worth:
        columns.append(Column(f"{pick.goal} without", "", cells[2]))
    more = len(lines) - _MOST_CHANGES
    return [
        grid("rule", names, columns, [""] * len(names), widest=_KEY),
        *([Text(f"and {more:,} more; --write FILE writes all of them")] if more > 0 else []),
        Text(),
    ]


def _called(pick: Pick) -> str:
    """What the column of the pick is called."""
    if not pick.is_met:
        return "closest"
    return "found" if isinstance(pick.among, Search) else "the pick"


def _differences(pick: Pick) -> list[tuple[Mapping[str, object], Mapping[str, object]]]:
    """The rules that are not as today: those that the candidate names, or of one with settings of its own, those of
    each look-up.
    """
    today, now = pick.among.today.plan, pick.candidate.plan
    keys = list(pick.candidate.changes) or [
        key_of("lookup", name, rule) for name in pick.among.today.lookups for rule in Rules.model_fields
    ]
    values = [(key, today.value_at(key), now.value_at(key)) for key in keys]
    return [({key: before}, {key: after}) for key, before, after in values if before != after]


def without_text(pick: Pick, worth: ChangeWorth) -> str:
    """What the aim is without a change."""
    amount = pick.amount_text(worth.without)
    return amount if worth.keeps_limits else f"{amount}, breaks a limit"


def rules_changed(changes: Mapping[str, object]) -> str:
    """What is changed together: of one look-up, or of one pool."""
    (where, *_), (first, *more) = zip(*((place_of(key)[1], place_of(key)[2]) for key in changes), strict=True)
    return ", ".join([f"{where}.{first}" if where else first, *more])


def _values(values: Mapping[str, object]) -> str:
    return printable(", ".join(_written(place_of(key)[2], value) for key, value in values.items()), _VALUE)


def _written(rule: str, value: object) -> str:
    if isinstance(value, (list, tuple)):
        return _times(value)
    return rule_text(rule, value) if isinstance(value, int) else str(value)


def _times(values: Sequence[object]) -> str:
    """Several times of day in a few words."""
    if not values:
        return "none"
    return ", ".join(map(str, values)) if len(values) <= _FEW else f"{len(values)} times from {values[0]}"


def _measures(pick: Pick) -> RenderableType:
    """What gets better and what gets worse."""
    candidates = pick.among
    known = [name for name in _TOLD if is_told(name, candidates)]
    limited = [one.name for one in pick.aim.each_limit]
    told = dict.fromkeys([*([pick.aim.best] if pick.aim.best else []), *limited, *known])
    columns = {candidates.settings.short: candidates.today}
    if candidates.settings.is_nothing:
        columns = {"no cache": next(iter(candidates.references.values())), **columns}
    before = next(iter(columns.values()))
    if pick.candidate.name != candidates.today.name:
        columns[_called(pick)] = pick.candidate
    cells = [
        Column(what, "", [MEASURES[name].amount_text(one.measure(name)) for name in told])
        for what, one in columns.items()
    ]
    if len(columns) > 1:
        judged = [MEASURES[name].better(pick.candidate.measure(name), before.measure(name)) for name in told]
        cells.append(Column("", "", [_JUDGED[one] for one in judged]))
    return grid("measure", [MEASURES[name].label for name in told], cells, [""] * len(told))
