"""Shows a confirmation as text: whether each rate is as predicted, and what explains the difference if it is not."""

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.text import Text

from vestigo.explaining.confirm.confirmation import FEWEST_READS, Compared, Confirmation, Try
from vestigo.explaining.confirm.watch import Turn
from vestigo.rules.plan_text import plan_lines
from vestigo.show.grid import Column, grid
from vestigo.show.notes import assumed, kept_together
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.units import SECOND, format_bytes, format_seconds, format_share, format_time, three_digits

_LABELS = {
    "hit_rate": "hit rate",
    "loads": "origin calls a read",
    "evictions": "evictions a read",
    "entries": "most entries",
    "bytes": "most memory",
}


@shown.register
def confirmation_text(confirmation: Confirmation) -> RenderableType:
    parts: list[RenderableType] = [kept_together(_answer(confirmation)), Text(), _table(confirmation)]
    if confirmation.tries:
        parts += [Text(), Text("Possible explanations, each replayed on its own:", style="bold")]
        parts += [Padding(_try(confirmation, one), (0, 0, 0, 2)) for one in confirmation.tries]
    elif confirmation.is_known and not confirmation.is_as_predicted:
        parts += [Text(), Text("None of the alternatives comes closer to the measured rates.")]
    return Group(*parts, *assumed(confirmation.notes))


def turn_line(turn: Turn) -> str:
    """What leaves the prediction or is back, in a line."""
    who = "all look-ups" if turn.lookup is None else printable(turn.lookup, 60)
    low, high = format_share(turn.low), format_share(turn.high)
    verb = "left the prediction" if turn.is_off else "back"
    span = format_seconds((turn.at_ns - turn.since_ns) / SECOND)
    return (
        f"{format_time(turn.at_ns)[:19]} UTC  {who} {verb}: hit rate {format_share(turn.hit_rate)} in the last {span}, "
        f"{low} to {high} is normal"
    )


def _answer(confirmation: Confirmation) -> Text:
    time = f"({confirmation.reads[0]:,.0f} reads in {format_seconds(confirmation.seconds)})"
    whole = next((one for one in confirmation.compared if one.measure == "hit_rate" and one.lookup is None), None)
    rates = ""
    if whole is not None:
        rates = f"hit rate {format_share(whole.measured)} measured, {format_share(whole.predicted)} predicted "
    if not confirmation.is_known:
        few = f"fewer than {FEWEST_READS} reads in the counters or in the trace tell too little"
        return Text.assemble(("Not known whether the running cache matches", "bold"), f": {few}. {rates}{time}.")
    if confirmation.is_as_predicted:
        return Text.assemble(("The running cache matches the prediction", "bold"), f": {rates}{time}.")
    text = Text.assemble(("The running cache does not match the prediction", "bold"), f": {rates}{time}. ")
    best = confirmation.explained_by
    if best is None:
        return text.append("Nothing that was tried explains half of the difference.")
    how = "Best" if best.off < 0.2 * confirmation.off else "Best, but partial,"
    text.append(f"{how} explanation: {printable(best.what, most=200)} (predicts {format_share(best.hit_rate)}).")
    rivals = "; ".join(printable(one.what, most=100) for one in confirmation.rivals)
    return text.append(f" These counters cannot tell it from: {rivals}." if rivals else "")


def _table(confirmation: Confirmation) -> RenderableType:
    names = [f"{printable(one.lookup or 'all', 14)}: {_LABELS[one.measure]}" for one in confirmation.compared]
    columns = [
        Column("measured", "", [_amount(one, one.measured) for one in confirmation.compared]),
        Column("predicted", "", [_amount(one, one.predicted) for one in confirmation.compared]),
        Column("difference", "", [_difference(one) for one in confirmation.compared]),
        Column("95 % interval", "", [_interval(one) for one in confirmation.compared]),
        Column("", "", ["differs" if one.differs else "" for one in confirmation.compared]),
    ]
    return grid("", names, columns, ["bold" if one.differs else "" for one in confirmation.compared], widest=36)


def _amount(compared: Compared, amount: float) -> str:
    if compared.measure == "hit_rate":
        return format_share(amount)
    if compared.measure == "bytes":
        return format_bytes(amount)
    return f"{amount:,.0f}" if compared.measure == "entries" else three_digits(amount)


def _difference(compared: Compared) -> str:
    if compared.measure == "hit_rate":
        return f"{100 * compared.difference:+.1f} points"
    if compared.predicted and compared.measure in ("entries", "bytes"):
        return f"{100 * compared.difference / compared.predicted:+.0f} %"
    return f"{compared.difference:+.3f}"


def _interval(one: Compared) -> str:
    if one.interval is None or one.interval[0] == one.interval[1]:
        return "-"
    low, high = (100 * bound for bound in one.interval)
    return f"{low:+.1f} to {high:+.1f}"


def _try(found: Confirmation, explanation: Try) -> RenderableType:
    explains = max(0.0, 1 - explanation.off / found.off) if found.off else 0.0
    head = Text(f"{printable(explanation.what, most=200)}: predicts {format_share(explanation.hit_rate)}, ")
    head.append(f"explains {format_share(explains)} of the difference")
    if not explanation.changes:
        return kept_together(head)
    return Group(kept_together(head), Padding(Text(plan_lines(explanation.changes), style="dim"), (0, 0, 0, 2)))
