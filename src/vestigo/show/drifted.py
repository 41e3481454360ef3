"""Shows what is different between two recordings: the answer, what each difference does, what look-ups are like."""

from collections.abc import Sequence
from math import inf

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from vestigo.explaining.drift.drift import Drift, Trait
from vestigo.explaining.drift.effects import MIX, ORDER, Effect
from vestigo.measures import MEASURES
from vestigo.show.grid import Column, grid
from vestigo.show.notes import assumed, kept_together
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import SIZES, SPANS, counted, format_amount, format_share, three_digits

POINT = 0.01
_LEAST = 0.001
_MOST = 10
_MORE = {
    "keys": "{} keys",
    "reads": "{} reads",
    "changes": "{} changes",
    "sizes": "values {}",
    "origin": "origin calls {}",
}
_LONGER = {"sizes": ("larger", "smaller"), "origin": ("longer", "shorter")}
_TRAITS = {
    "reads": "reads an hour",
    "keys": "keys in a stretch",
    "popularity": "reads of the top tenth",
    "reuse": "time to the next read",
    "changes": "changes an hour",
    "sizes": "size of a value",
    "nulls": "reads that find nothing",
    "origin": "time of an origin call",
}


@shown.register
def drift_text(drift: Drift) -> RenderableType:
    """The text of a drift, with the answer first."""
    parts: list[RenderableType] = [kept_together(Text(printable(drift.in_words, most=1000), "bold")), Text()]
    parts += [kept_together(Text(_whole(drift))), *_effects(drift), Text(), *_traits(drift)]
    for names, when in ((drift.only_before, drift.before), (drift.only_after, drift.after)):
        if names:
            listed = ", ".join(printable(name) for name in names)
            parts += [Text(), kept_together(Text(f"Only {printable(when, most=200)} has {listed}."))]
    best: list[RenderableType] = [Text(), Text(f"The best settings for {printable(drift.after, most=200)}:", "bold")]
    best += [Padding(kept_together(Text(printable(said, most=2000))), (0, 0, 0, 2)) for said in drift.pick.because[:2]]
    return Group(*parts, *best, *assumed(drift.assumptions))


def _whole(drift: Drift) -> str:
    moved = drift.rates[1] - drift.rates[0]
    label = MEASURES[drift.rate].label
    if abs(moved) < POINT / 200:
        return f"What differs, by replay ({label} are the same in all):"
    more = "more" if moved > 0 else "less"
    return f"Where the {points(abs(moved))} {more} {label} come from, by replay:"


def points(gain: float) -> str:
    """A difference of a rate.

    >>> points(0.041), points(0.01)
    ('4.10 points', '1.00 points')
    """
    return f"{abs(gain) / POINT:.2f} points"


def signed(gain: float) -> str:
    return f"{'+' if gain > 0 else '-'}{points(gain)}"


def _effects(drift: Drift) -> list[RenderableType]:
    told = told_effects(drift)
    widest = max((len(signed(one.gain)) for one in told), default=0)
    lines: list[RenderableType] = [
        Padding(kept_together(Text(f"{signed(one.gain):>{widest}}  {effect_words(one)}")), (0, 0, 0, 2)) for one in told
    ]
    others = [one for one in drift.effects if one not in told]
    rest = sum(one.gain for one in others)
    if others:
        said = f"all else together ({counted(len(others), 'difference')})"
        lines.append(Padding(Text(f"{signed(rest):>{widest}}  {said}"), (0, 0, 0, 2)))
    return lines


def told_effects(drift: Drift, most: int = _MOST) -> list[Effect]:
    """The effects that are told one by one."""
    return [one for one in drift.effects if abs(one.gain) >= _LEAST][:most]


def effect_words(effect: Effect) -> str:
    """What differs, in words."""
    name = printable(effect.lookup, 60)
    if effect.trait == MIX:
        return f"{name}: {format_share(effect.after)} of all reads, not {format_share(effect.before)}"
    if effect.trait == ORDER:
        return f"{name}: which keys are read, and how soon again"
    if effect.trait == "nulls":
        return f"{name}: {format_share(effect.after)} of the reads find nothing, not {format_share(effect.before)}"
    more, less = _LONGER.get(effect.trait, ("more", "fewer"))
    return f"{name}: {_MORE[effect.trait].format(_times(effect, more, less))}"


def _times(effect: Effect, more: str, less: str) -> str:
    """How much more there is.

    >>> _times(Effect("vessel", "keys", 10, 21, 0.0), "more", "fewer")
    '2.10 times as many'
    >>> _times(Effect("vessel", "origin", 4, 3, 0.0), "longer", "shorter")
    '25.0 % shorter'
    """
    times = effect.after / effect.before if effect.before else inf
    if times == inf:
        return f"{more}, where there were none"
    if times >= 2:  # up to twice as many, a share is easier to read
        as_many = {"larger": "as large", "longer": "as long"}.get(more, "as many")
        return f"{three_digits(times)} times {as_many}"
    return f"{format_share(abs(times - 1))} {more if times > 1 else less}"


def _traits(drift: Drift) -> list[RenderableType]:
    if all(one.beside.by_chance == inf for one in drift.traits):
        said = "The recordings are too short to tell a difference from chance: each needs eight whole minutes or more."
        return [kept_together(Text(said))]
    if not drift.found:
        return [kept_together(Text("Nothing that look-ups are like differs by more than chance would have it."))]
    table = _table(drift.found)
    said = "More than chance would have it once in a thousand times, by the spread over stretches of the time."
    return [table, kept_together(Text(said, "dim"))]


def _table(traits: Sequence[Trait]) -> Table:
    columns = [
        Column("before", "", [_amount(one.name, one.beside.before) for one in traits]),
        Column("after", "", [_amount(one.name, one.beside.after) for one in traits]),
        Column("by chance up to", "", [f"+-{_amount(one.name, one.beside.by_chance)}" for one in traits]),
    ]
    names = [f"{printable(one.lookup)}: {_TRAITS[one.name]}" for one in traits]
    return grid("what is different", names, columns, [""] * len(traits), widest=60)


def _amount(trait: str, amount: float) -> str:
    if trait in ("reuse", "origin"):
        return format_amount(amount, SPANS)
    if trait == "sizes":
        return format_amount(amount, SIZES)
    return format_share(amount) if trait in ("nulls", "popularity") else three_digits(amount)
