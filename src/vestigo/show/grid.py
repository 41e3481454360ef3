"""Tables for the terminal: aligned by the decimal point, three significant digits, at most 100 columns."""

from collections.abc import Sequence
from typing import NamedTuple

from rich.style import Style
from rich.table import Table
from rich.text import Text

from vestigo.show.safe import printable
from vestigo.units import Units, best_unit, three_digits

WIDTH = 100
NAME = 22
GAP = 2


class Column(NamedTuple):
    """A heading, the unit of its cells, and a cell for each row."""

    heading: str
    unit: str
    cells: Sequence[str]

    @property
    def width(self) -> int:
        return max(map(len, (self.heading, self.unit, *self.cells)))


def grid(  # noqa: PLR0913, PLR0917
    title: str,
    names: Sequence[str],
    columns: Sequence[Column],
    styles: Sequence[str],
    gap: int = GAP,
    widest: int = NAME,
    links: Sequence[str] = (),
) -> Table:
    """A table with one row for each name, in its style and cut to `widest` letters. Columns stand closer if they would
    not fit. On a page, names lead to the addresses in `links`.
    """
    head, *shown = [printable(name, widest) for name in (title, *names)]
    if max(map(len, (head, *shown))) + sum(column.width + gap for column in columns) > WIDTH:
        gap = 1
    table = Table(box=None, pad_edge=False, padding=(0, gap, 0, 0), header_style="bold")
    table.add_column(Text(head), no_wrap=True)
    for column in columns:
        heading = f"{column.heading}\n{column.unit}" if any(one.unit for one in columns) else column.heading
        table.add_column(Text(heading), justify="right", no_wrap=True)
    for row, name in enumerate(shown):
        cells = (Text(column.cells[row]) for column in columns)
        leads = Style(link=links[row]) if links else ""
        table.add_row(Text(name, leads), *cells, style=styles[row])
    return table


def in_one_unit(heading: str, amounts: Sequence[float], units: Units) -> Column:
    """A column in the unit that suits its largest number, with decimal points below each other."""
    size, unit = best_unit(max(map(abs, amounts), default=0), units)
    return Column(heading, unit, _aligned([_signed(amount / size) for amount in amounts]))


def in_own_units(heading: str, amounts: Sequence[float], units: Units) -> Column:
    """A column in which each number has the unit that suits it, for numbers of very different size."""
    cells = []
    for amount in amounts:
        size, unit = best_unit(amount, units)
        width = max(len(name) for _, name in units)
        cells.append(f"{three_digits(amount / size)} {unit:<{width}}" if amount else f"0 {'':<{width}}")
    return Column(heading, "", cells)


def _signed(number: float) -> str:
    return f"-{three_digits(-number)}" if number < 0 else three_digits(number)


def plain(heading: str, numbers: Sequence[float], unit: str = "") -> Column:
    """A column of plain numbers: whole ones in full, others with three digits."""
    if all(number == int(number) for number in numbers):
        return Column(heading, unit, [f"{int(number):,}" for number in numbers])
    return Column(heading, unit, _aligned([three_digits(number) for number in numbers]))


def _aligned(numbers: Sequence[str]) -> list[str]:
    parts = [number.partition(".") for number in numbers]
    places = max((len(point + fraction) for _, point, fraction in parts), default=0)
    return [whole + f"{point}{fraction}".ljust(places) for whole, point, fraction in parts]
