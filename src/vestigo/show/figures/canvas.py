"""What figures draw on: axes of the user's own, or a new figure."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

import matplotlib as mpl

from vestigo.arguments import shown
from vestigo.errors import RulesError
from vestigo.show import style
from vestigo.show.figures.recolour import fit_to_ground

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


def on_axis(ax: "Axes | None", draw: "Callable[[Axes], None]") -> "Axes":
    """Calls a function that draws in our style on the given axes, or on a new figure, and returns the axes. What is
    drawn on dark axes gets the colours for a dark ground. Raises RulesError for what is not axes.
    """
    import matplotlib.pyplot as plt

    if ax is not None:
        check_axes([ax], "ax", "give one, such as plt.subplots()[1]")
    with our_style():
        axis = plt.subplots(figsize=(8, 5), layout="constrained")[1] if ax is None else ax
        draw(axis)
    if ax is not None:
        fit_to_ground([ax])
    return axis


def width_inches(axis: "Axes") -> float:
    """How wide axes are, to see how much text fits."""
    figure = axis.get_figure(root=True)
    return axis.get_position().width * float(figure.get_size_inches()[0]) if figure is not None else 8.0


def height_inches(axis: "Axes") -> float:
    figure = axis.get_figure(root=True)
    return axis.get_position().height * float(figure.get_size_inches()[1]) if figure is not None else 5.0


def check_axes(given: Sequence[Any], name: str, write: str) -> None:
    """Raises RulesError for what is not Axes of Matplotlib."""
    from matplotlib.axes import Axes

    for one in given:
        if not isinstance(one, Axes):
            raise RulesError(f"{name}: {shown(one)} is not Axes of Matplotlib; {write}")


def check_drawn(name: str, given: object, kind: type) -> None:
    """Raises RulesError for an object that a figure does not draw."""
    if not isinstance(given, kind):
        raise RulesError(f"{name}: {shown(given)} is not what this figure draws; give a {kind.__name__}")
