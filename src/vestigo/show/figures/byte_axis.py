"""An axis in bytes, on a logarithmic scale."""

from typing import TYPE_CHECKING

from matplotlib.ticker import FuncFormatter, LogLocator

from vestigo.show.figures.canvas import width_inches
from vestigo.units import format_bytes

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_INCHES_A_SIZE = 0.7


def byte_axis(axis: "Axes", base: int = 4) -> None:
    """As many sizes are written as fit beside each other."""
    axis.xaxis.set_major_locator(LogLocator(base=base, numticks=max(3, int(width_inches(axis) / _INCHES_A_SIZE))))
    axis.xaxis.set_major_formatter(FuncFormatter(lambda size, _: _short(size)))
    axis.minorticks_off()


def _short(size: float) -> str:
    amount, unit = format_bytes(size).split(" ")
    return f"{float(amount.replace(',', '')):g} {unit}"
