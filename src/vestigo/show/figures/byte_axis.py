"""An axis in bytes, on a logarithmic scale."""

from typing import TYPE_CHECKING

from matplotlib.ticker import FuncFormatter, LogLocator

from vestigo.units import format_bytes

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def byte_axis(axis: "Axes", base: int = 4) -> None:
    axis.xaxis.set_major_locator(LogLocator(base=base))
    axis.xaxis.set_major_formatter(FuncFormatter(lambda size, _: _short(size)))
    axis.minorticks_off()


def _short(size: float) -> str:
    amount, unit = format_bytes(size).split(" ")
    return f"{float(amount.replace(',', '')):g} {unit}"
