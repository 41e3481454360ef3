"""What figures draw on."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

import matplotlib as mpl

from vestigo.show import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes


NAME = 30
"""So many letters of a name are written in a figure."""


@contextmanager
def our_style() -> Iterator[None]:
    """The style in which figures are made. What a notebook's backend switches on when it is loaded stays on."""
    with mpl.rc_context(style.FIGURE):
        yield
        shows_at_once = mpl.is_interactive()
    mpl.interactive(shows_at_once)


def on_axis(axis: "Axes | None", draw: "Callable[[Axes], None]") -> "Axes":
    """Decorates a function, so that it draws in our style on the given axes, or on a new figure, and returns the
    axes.
    """
    import matplotlib.pyplot as plt

    with our_style():
        if axis is None:
            axis = plt.subplots(figsize=(8, 5), layout="constrained")[1]
        draw(axis)
    return axis
