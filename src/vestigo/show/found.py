"""Shows what a search found: the settings, what they give, the best within other amounts of memory, and what other
rules would bring.
"""

from collections.abc import Mapping, Sequence

from rich.columns import Columns
from rich.console import Group, RenderableType
from rich.text import Text

from vestigo.choosing.choose import settled
from vestigo.choosing.finding.found import Search
from vestigo.choosing.finding.reasons import gain_text
from vestigo.choosing.pick import Pick, goal
from vestigo.choosing.proof import ChangeWorth
from vestigo.measures import MEASURES
from vestigo.rules import Plan
from vestigo.rules.plan_text import rule_text
from vestigo.rules.vary import key_of, place_of
from vestigo.show.grid import Column, grid
from vestigo.show.notes import assumed, kept_together
from vestigo.show.safe import printable
from vestigo.units import SECOND, format_share, format_span

_TOLD = (
    "hit_rate",
    "fresh_hit_rate",
    "stale_rate",
    "loads",
    "origin_time",
    "read_time.p95",
    "memory_peak",
)
_KEY, _VALUE = 34, 20
_MOST_CHANGES = 24
_MOST_LOOKUPS = 3


def found_text(pick: Pick, found: Search) -> RenderableType:
    """The answer of a search, on one screen."""
    because = [kept_together(Text(printable(line, most=1500))) for line in pick.because]
    because[0].stylize("bold")
    return Group(
        *([Text(f"Replayed: {printable(found.today.whose, most=300)}.")] if found.today.whose else []),
        *because[:2],
        Text(),
        *_changes(pick, found),
        Columns([_measures(pick), *_by_memory(pick, found)], padding=(0, 6)),
        Text(),
        *because[2:],
        *_clocks(found),
        *_would_bring(pick, found),
        *assumed(found.today.assumptions),
        *(Text(f"\n{printable(note, most=300)}") for note in found.notes),
    )


def found_tables(pick: Pick, found: Search) -> list[RenderableType]:
    """What a search found besides its measures: what each change is worth, less memory, and other rules."""
    return [*_changes(pick, found), *_by_memory(pick, found), *_clocks(found), *_would_bring(pick, found)]


def _changes(pick: Pick, found: Search) -> list[RenderableType]:
    """A row for each rule that is not as today, and what the aim is if that alone is left out."""
    today, now = found.today.plan, pick.candidate.plan
    worth = pick.proof.worth if pick.proof is not None else ()
    rows = [(each.today, each.now, without_text(pick, each)) for each in worth]
    if not rows:
        rows = [(*change, "") for change in _differences(today, now, found)]
    if not rows:
        return []
    lines = [
        (rules_changed(after), *(_values(each) for each in (before, after)), without) for before, after, without in rows
    ]
    names, *cells = zip(*lines[:_MOST_CHANGES], strict=True)
    columns = [Column(found.settings.short, "", cells[0]), Column("found", "", cells[1])]
    if worth:
        columns.append(Column(f"{pick.goal} without", "", cells[2]))
    more = len(lines) - _MOST_CHANGES
    return [
        grid("rule", names, columns, [""] * len(names), widest=_KEY),
        *([Text(f"and {more:,} more; --write FILE writes all of them")] if more > 0 else []),
        Text(),
    ]


def _differences(today: Plan, now: Plan, found: Search) -> list[tuple[Mapping[str, object], Mapping[str, object]]]:
    """The rules of each look-up that are not as today, of a candidate with settings of its own."""
    changes: list[tuple[Mapping[str, object], Mapping[str, object]]] = []
    for name in found.today.lookups:
        settings = today.rules_for(name), now.rules_for(name)
        for rule in type(settings[0]).model_fields:
            values = [getattr(one, rule) for one in settings]
            if values[0] != values[1]:
                key = key_of("lookup", name, rule)
                before, after = ({key: settings[0].written(rule, value)} for value in values)
                changes.append((before, after))
    return changes


def without_text(pick: Pick, worth: ChangeWorth) -> str:
    """What the aim is without a change."""
    amount = pick.amount_text(worth.without)
    return amount if worth.keeps_limits else f"{amount}, breaks a limit"


def rules_changed(changes: Mapping[str, object]) -> str:
    """What is changed together: of one look-up, or of one pool."""
    (where, *_), (first, *more) = zip(*((place_of(key)[1], place_of(key)[2]) for key in changes), strict=True)
    return ", ".join([f"{where}.{first}", *more])


def _values(values: Mapping[str, object]) -> str:
    return printable(", ".join(_written(place_of(key)[2], value) for key, value in values.items()), _VALUE)


def _written(rule: str, value: object) -> str:
    if isinstance(value, (list, tuple)):
        return _times(value)
    return rule_text(rule, value) if isinstance(value, int) else str(value)


def _times(values: Sequence[object]) -> str:
    """Several times of day in a few words."""
    return str(values[0]) if len(values) == 1 else f"{len(values)} times from {values[0]}"


def _measures(pick: Pick) -> RenderableType:
    """What gets better and what gets worse."""
    known = [name for name in _TOLD if pick.among.stale_known or not MEASURES[name].of_staleness]
    told = dict.fromkeys(
        [*([pick.aim.best] if pick.aim.best else []), *(one.name for one in pick.aim.each_limit), *known]
    )
    no_cache = next(iter(pick.among.references.values()))
    before = {pick.among.settings.short: pick.among.today}
    if pick.among.settings.is_nothing:
        before = {"no cache": no_cache, **before}
    shown = {**before, "found": pick.candidate}
    cells = {what: [MEASURES[name].amount_text(one.measure(name)) for name in told] for what, one in shown.items()}
    first = next(iter(before.values()))
    judged = [_judged(name, first.measure(name), pick.candidate.measure(name)) for name in told]
    columns = [*(Column(what, "", each) for what, each in cells.items()), Column("", "", judged)]
    return grid("measure", [MEASURES[name].label for name in told], columns, [""] * len(told))


def _judged(name: str, today: float, now: float) -> str:
    what = MEASURES[name]
    if what.amount_text(today) == what.amount_text(now):
        return "same"
    return "better" if (now > today) == what.more_is_better else "worse"


def _by_memory(pick: Pick, found: Search) -> list[RenderableType]:
    """The best within ever less memory, if it was looked for with this aim."""
    most = pick.candidate.memory_peak
    less = [found[name] for name in found.by_memory if found[name].memory_peak < most]
    if not less or pick.proof is None or goal(settled(found.aim, found)) != pick.goal:
        return []
    rows = [pick.candidate, *less]
    peaks = [MEASURES["memory_peak"].amount_text(one.memory_peak) for one in rows]
    values = [pick.amount_text(pick.value(one)) for one in rows]
    best = f"best {pick.goal if len(pick.goal) < _VALUE else 'aim'}"
    return [grid("memory peak", peaks, [Column(best, "", values)], [""] * len(rows))]


def _clocks(found: Search) -> list[Text]:
    """Which look-ups change on the clock, and how much of them."""
    said = [
        f"{printable(one.lookup, _VALUE)} changes {one.times if one.times.startswith('every') else f'at {one.times}'} "
        f"(UTC), {format_share(one.share)} of it within {format_span(one.window_ns / SECOND)}"
        for one in found.clocks[:_MOST_LOOKUPS]
    ]
    return [kept_together(Text(f"On the clock: {'; '.join(said)}."))] if said else []


def _would_bring(pick: Pick, found: Search) -> list[Text]:
    """What to build next."""
    if not found.would_bring or pick.proof is None or pick.aim != settled(found.aim, found):
        return []
    said = [
        f"{one.kind} ({', '.join(one.rules)}) {gain_text(pick, one.gain)}, by {_named(one.lookups)}"
        for one in found.would_bring
    ]
    return [kept_together(Text(f"Rules that were not to be set would bring: {'; '.join(said)}."))]


def _named(lookups: Sequence[str]) -> str:
    named = ", ".join(printable(name, _VALUE) for name in lookups[:_MOST_LOOKUPS])
    more = len(lookups) - _MOST_LOOKUPS
    return f"{named} and {more:,} more" if more > 0 else named
