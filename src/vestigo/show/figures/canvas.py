"""What figures draw on."""

from collections.abc import Callable
from typing import TYPE_CHECKING

import matplotlib as mpl

from vestigo.show import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def on_axis(axis: "Axes | None", draw: "Callable[[Axes], None]") -> "Axes":
    """Draws in our style on the given axes, or on a figure of its own; gives the axes back."""
    import matplotlib.pyplot as plt

    with mpl.rc_context(style.FIGURE):
        if axis is None:
            axis = plt.subplots(figsize=(8, 5), layout="constrained")[1]
        draw(axis)
    return axis
