"""An axis in bytes, on a logarithmic scale."""

from typing import TYPE_CHECKING

from matplotlib.ticker import FuncFormatter, Locator

from vestigo.show.charts.ticks import round_sizes, size_label
from vestigo.show.figures.canvas import width_inches

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_INCHES_A_SIZE = 0.7


class _Sizes(Locator):
    """Round sizes, as many as fit beside each other."""

    def __init__(self, drawn: "Axes") -> None:
        self._drawn = drawn

    def __call__(self) -> list[float]:
        return self.tick_values(*self._drawn.get_xlim())

    def tick_values(self, vmin: float, vmax: float) -> list[float]:
        there = [size for size in round_sizes(vmin, vmax) if vmin <= size <= vmax]
        most = max(3, int(width_inches(self._drawn) / _INCHES_A_SIZE))
        return there[:: -(-len(there) // most) or 1]


def byte_axis(axis: "Axes") -> None:
    """Marks a horizontal axis at round sizes."""
    axis.xaxis.set_major_locator(_Sizes(axis))
    axis.xaxis.set_major_formatter(FuncFormatter(lambda size, _: size_label(size)))
    axis.minorticks_off()
