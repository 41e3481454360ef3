"""Shows a check as text: likely mistakes with the lines that fix them, then what each rule earns."""

from collections.abc import Sequence

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from vestigo.explaining.check.findings import Check, Mistake, RuleTried
from vestigo.rules.plan_text import plan_lines
from vestigo.show.grid import Column, grid, in_one_unit
from vestigo.show.notes import kept_together
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import SIZES, SPANS, capitalised, counted, format_bytes, format_share, format_span

_NAME = 36


@shown.register
def check_text(check: Check) -> RenderableType:
    """The text of a check, with the answer first."""
    parts: list[RenderableType] = [kept_together(_answer(check))]
    for one in check.mistakes:
        parts += [Text(), *_mistake(check, one)]
    for said in check.advice:
        parts += [Text(), kept_together(Text(f"Advice: {printable(said, most=500)}."))]
    if not check.rules:
        parts += [Text(), Text("The plan states no rules, so there is nothing to take away.")]
    else:
        parts += [Text(), _earned(check), *_amounts(check), *_idle(check), *_best(check)]
    return Group(*parts, *(Text(f"\n{printable(note, most=300)}", style="dim") for note in check.notes))


@shown.register
def mistake_text(mistake: Mistake) -> Text:
    return Text(f"{mistake.kind} ({printable(mistake.where)}): {printable(mistake.evidence, most=500)}.")


def _answer(check: Check) -> Text:
    today, fixed = check.amount(check.found.today.name), check.amount(check.fixed_name)
    text = Text.assemble(
        (f"{counted(len(check.mistakes), 'likely mistake')}", "bold"), f" in {counted(len(check.rules), 'rule')}. "
    )
    whose = "These settings give" if check.plan.called.stated else "Today's settings give"
    text.append(f"{whose} {check.goal} {check.amount_text(today)}")
    if check.fixed_name != check.found.today.name:
        text.append(f"; with the changes below that help together, {check.amount_text(fixed)}")
    return text.append(".")


def check_words(check: Check) -> str:
    """The answer of a check, and the names of the mistakes."""
    names = "; ".join(f"{one.kind} ({printable(one.where)})" for one in check.mistakes)
    return _answer(check).plain + (f" {capitalised(names)}." if names else "")


def _mistake(check: Check, one: Mistake) -> list[RenderableType]:
    head = Text.assemble((one.kind, "bold"), f" ({printable(one.where)})")
    said = [kept_together(Text(f"{printable(one.evidence, most=500)}.")), *_price(check, one)]
    lines = [Padding(Text(plan_lines(one.changes)), (0, 0, 0, 4))] if one.changes else []
    return [head, *(Padding(each, (0, 0, 0, 2)) for each in said), *lines]


def _price(check: Check, mistake: Mistake) -> list[RenderableType]:
    """What a replay of the fixed plan gives."""
    if mistake.fixed is None:
        return []
    effect = check.effect(mistake.fixed)
    effects = [
        *(
            (
                _more(effect["fresh_hits"], "fresh hit", "fresh hits"),
                _more(effect["stale_hits"], "stale hit", "stale hits"),
            )
            if check.found.stale_known
            else (_more(effect["hits"], "hit", "hits"),)
        ),
        _more(effect["loads"], "origin call", "origin calls"),
        f"readers wait {format_span(abs(effect['read_time']))} {'more' if effect['read_time'] > 0 else 'less'}"
        if effect["read_time"]
        else "",
        f"memory peak {format_bytes(abs(effect['memory_peak']))} {'higher' if effect['memory_peak'] > 0 else 'lower'}"
        if effect["memory_peak"]
        else "",
    ]
    costs = f"It costs {format_share(mistake.gain)} of the {check.goal} now. " if mistake.gain else ""
    return [
        kept_together(
            Text(f"{costs}Replayed with these lines: {', '.join(filter(None, effects)) or 'all is the same'}.")
        )
    ]


def _more(number: float, thing: str, things: str) -> str:
    if not number:
        return ""
    return f"{abs(number):,.0f} {'more' if number > 0 else 'fewer'} {thing if abs(number) == 1 else things}"


def _earned(check: Check) -> RenderableType:
    """The table of what each rule adds."""
    rules = [one for one in check.rules if "without" in one.tried]
    table = _table(
        "what each rule gives",
        [*map(_name, rules)],
        _columns(check, [{name: -more for name, more in check.effect(one.tried["without"]).items()} for one in rules]),
    )
    others = [
        Padding(
            Text(f"{_name(one)} was not tested alone: {printable(one.not_tried, most=300)}.", style="dim"),
            (0, 0, 0, 2),
        )
        for one in check.rules
        if one.not_tried
    ]
    return Group(table, *others)


def _amounts(check: Check) -> list[RenderableType]:
    """The table of what halving or doubling an amount adds."""
    rows = [
        (f"{what} {_name(one)}", check.effect(name))
        for one in check.rules
        for what, name in one.tried.items()
        if what != "without"
    ]
    if not rows:
        return []
    return [
        Text(),
        _table("half and double", [name for name, _ in rows], _columns(check, [effect for _, effect in rows])),
    ]


def _columns(check: Check, effects: Sequence[dict[str, float]]) -> list[Column]:
    def more(heading: str, name: str) -> Column:
        return Column(heading, "", [f"{one[name]:+,.0f}" if one[name] else "0" for one in effects])

    known = check.found.stale_known
    return [
        more("fresh hits", "fresh_hits") if known else more("hits", "hits"),
        more("stale hits", "stale_hits") if known else Column("stale hits", "", ["-"] * len(effects)),
        more("origin calls", "loads"),
        _signed(in_one_unit("readers' time", [one["read_time"] for one in effects], SPANS)),
        _signed(in_one_unit("memory peak", [one["memory_peak"] for one in effects], SIZES)),
    ]


def _signed(column: Column) -> Column:
    cells = [cell if cell.startswith(("-", "0 ")) or cell.strip() == "0" else f"+{cell}" for cell in column.cells]
    return column._replace(cells=cells)


def _table(title: str, names: Sequence[str], columns: Sequence[Column]) -> Table:
    return grid(title, names, columns, [""] * len(names), widest=_NAME)


def _name(one: RuleTried) -> str:
    return f"{one.key.removeprefix('lookup.')} = {one.value}"


def _idle(check: Check) -> list[RenderableType]:
    if not check.idle:
        return []
    names = ", ".join(printable(_name(one)) for one in check.idle)
    return [Text(), Text(f"These rules make no difference on this trace: {names}.")]


def _best(check: Check) -> list[RenderableType]:
    best = check.best()
    if not best:
        return [Text(), Text(f"No change of one stated rule gives a better {check.goal} within the limits.")]
    parts: list[RenderableType] = [Text(), Text("The changes of one rule that help the aim most:", style="bold")]
    for key, what, one in best:
        change = f"{key} taken away" if what == "without" else f"{key} = {one.changes[key]}"
        parts.append(Text(f"  {printable(change)}: {check.goal} {check.amount_text(check.amount(one.name))}"))
    return parts
