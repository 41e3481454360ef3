"""Shows a confirmation as text: whether each rate is as predicted, and what explains the difference if it is not."""

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.text import Text

from vestigo.explaining.confirm.confirmation import FEWEST_READS, Compared, Confirmation, Try
from vestigo.rules.plan_text import plan_lines
from vestigo.show.grid import Column, grid
from vestigo.show.notes import assumed, kept_together
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import format_bytes, format_seconds, format_share, three_digits

_LABELS = {
    "hit_rate": "hit rate",
    "loads": "origin calls a read",
    "evictions": "evictions a read",
    "entries": "most entries",
    "bytes": "most memory",
}


@shown.register
def confirmation_text(found: Confirmation) -> RenderableType:
    parts: list[RenderableType] = [kept_together(_answer(found)), Text(), _table(found)]
    if found.tries:
        parts += [Text(), Text("Possible explanations, each replayed on its own:", style="bold")]
        parts += [Padding(_try(found, one), (0, 0, 0, 2)) for one in found.tries]
    elif found.is_known and not found.is_as_predicted:
        parts += [Text(), Text("None of the alternatives comes closer to the measured rates.")]
    return Group(*parts, *assumed(found.notes))


def _answer(found: Confirmation) -> Text:
    time = f"({found.reads[0]:,.0f} reads in {format_seconds(found.seconds)})"
    whole = next((one for one in found.compared if one.measure == "hit_rate" and one.lookup is None), None)
    rates = ""
    if whole is not None:
        rates = f"hit rate {format_share(whole.measured)} measured, {format_share(whole.predicted)} predicted "
    if not found.is_known:
        few = f"fewer than {FEWEST_READS} reads in the counters or in the trace tell too little"
        return Text.assemble(("Not known whether the running cache matches", "bold"), f": {few}. {rates}{time}.")
    if found.is_as_predicted:
        return Text.assemble(("The running cache matches the prediction", "bold"), f": {rates}{time}.")
    text = Text.assemble(("The running cache does not match the prediction", "bold"), f": {rates}{time}. ")
    best = found.explained_by
    if best is None:
        return text.append("Nothing that was tried explains half of the difference.")
    how = "Best" if best.off < 0.2 * found.off else "Best, but partial,"
    text.append(f"{how} explanation: {printable(best.what, most=200)} (predicts {format_share(best.hit_rate)}).")
    rivals = "; ".join(printable(one.what, most=100) for one in found.rivals)
    return text.append(f" These counters cannot tell it from: {rivals}." if rivals else "")


def _table(found: Confirmation) -> RenderableType:
    names = [f"{printable(one.lookup or 'all', 14)}: {_LABELS[one.measure]}" for one in found.compared]
    columns = [
        Column("measured", "", [_amount(one, one.measured) for one in found.compared]),
        Column("predicted", "", [_amount(one, one.predicted) for one in found.compared]),
        Column("difference", "", [_difference(one) for one in found.compared]),
        Column("95 % interval", "", [_interval(one) for one in found.compared]),
        Column("", "", ["differs" if one.differs else "" for one in found.compared]),
    ]
    return grid("", names, columns, ["bold" if one.differs else "" for one in found.compared], widest=36)


def _amount(one: Compared, amount: float) -> str:
    if one.measure == "hit_rate":
        return format_share(amount)
    if one.measure == "bytes":
        return format_bytes(amount)
    return f"{amount:,.0f}" if one.measure == "entries" else three_digits(amount)


def _difference(one: Compared) -> str:
    if one.measure == "hit_rate":
        return f"{100 * one.difference:+.1f} points"
    if one.predicted and one.measure in ("entries", "bytes"):
        return f"{100 * one.difference / one.predicted:+.0f} %"
    return f"{one.difference:+.3f}"


def _interval(one: Compared) -> str:
    if one.interval is None or one.interval[0] == one.interval[1]:
        return "-"
    low, high = (100 * bound for bound in one.interval)
    return f"{low:+.1f} to {high:+.1f}"


def _try(found: Confirmation, one: Try) -> RenderableType:
    explains = max(0.0, 1 - one.off / found.off) if found.off else 0.0
    head = Text(f"{printable(one.what, most=200)}: predicts {format_share(one.hit_rate)}, ")
    head.append(f"explains {format_share(explains)} of the difference")
    if not one.changes:
        return kept_together(head)
    return Group(kept_together(head), Padding(Text(plan_lines(one.changes), style="dim"), (0, 0, 0, 2)))
