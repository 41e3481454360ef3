"""What figures draw on: axes of the user's own, or a new figure; its colours on a dark ground; the file it goes to."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import matplotlib as mpl
import numpy as np
from matplotlib.colors import LinearSegmentedColormap, to_rgb, to_rgba

from vestigo.arguments import shown
from vestigo.errors import InputError, RulesError
from vestigo.files import replacing
from vestigo.show import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


NAME = 30
"""So many letters of a name are written in a figure."""
_DARK = {to_rgb(colour): to_rgb(style.DARK[role]) for colour, role in style.ROLES.items()}
_PARTS = ("color", "facecolor", "edgecolor", "markerfacecolor", "markeredgecolor")


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


def entitle(figure: "Figure", title: str) -> None:
    """Writes the title of a whole figure at its upper left."""
    figure.suptitle(title, x=0.01, ha="left", fontsize=13, fontweight="bold")


def width_inches(axis: "Axes") -> float:
    """How wide axes are, to see how much text fits."""
    figure = axis.get_figure(root=True)
    return axis.get_position().width * float(figure.get_size_inches()[0]) if figure is not None else 8.0


def height_inches(axis: "Axes") -> float:
    figure = axis.get_figure(root=True)
    return axis.get_position().height * float(figure.get_size_inches()[1]) if figure is not None else 5.0


def check_axes(given: Sequence[object], name: str, write: str) -> None:
    """Raises RulesError for what is not Axes of Matplotlib."""
    from matplotlib.axes import Axes

    for one in given:
        if not isinstance(one, Axes):
            raise RulesError(f"{name}: {shown(one)} is not Axes of Matplotlib; {write}")


def check_drawn(name: str, given: object, kind: type) -> None:
    """Raises RulesError for an object that a figure does not draw."""
    if not isinstance(given, kind):
        raise RulesError(f"{name}: {shown(given)} is not what this figure draws; give a {kind.__name__}")


def fit_to_ground(axes: "Iterable[Axes]") -> None:
    """Changes the colours of everything on axes whose ground is dark. The ground stays as it is."""
    for axis in axes:
        if _is_dark(axis):
            _recolour(axis)


def _is_dark(axis: "Axes") -> bool:
    ground = to_rgba(axis.get_facecolor())
    figure = axis.get_figure(root=True)
    if ground[3] < 0.5 and figure is not None:
        ground = to_rgba(figure.get_facecolor())
    red, green, blue, _ = ground
    return bool(0.2126 * red + 0.7152 * green + 0.0722 * blue < 0.4)


def _recolour(axis: "Axes") -> None:
    for artist in axis.findobj():
        if artist is axis.patch:
            continue
        for part in _PARTS:
            read, write = (getattr(artist, f"{verb}_{part}", None) for verb in ("get", "set"))
            if read is not None and write is not None:
                _change(read, write)
        if (box := getattr(artist, "get_bbox_patch", lambda: None)()) is not None:
            _change(box.get_facecolor, box.set_facecolor)
    for image in axis.get_images():
        ends = [style.DARK["rule"], style.DARK["accent"]]
        image.set_cmap(LinearSegmentedColormap.from_list("quiet", ends))
    ink = style.DARK["ink"]
    axis.tick_params(colors=ink, which="both")
    for label in (axis.title, axis._left_title, axis.xaxis.label, axis.yaxis.label):  # type: ignore[attr-defined]
        label.set_color(ink)


def _change(read: Any, write: Any) -> None:
    """Exchanges our colours for those on a dark ground, and leaves all others."""
    colours = read()
    if isinstance(colours, str) and colours in ("none", "auto"):
        return
    try:
        given = np.atleast_2d([to_rgba(colours)] if isinstance(colours, (str, tuple)) else np.asarray(colours, float))
    except (ValueError, TypeError):
        return
    changed = [(*_DARK.get(tuple(one[:3]), tuple(one[:3])), one[3]) for one in given.tolist()]
    if len(given) and not np.allclose(changed, given):
        write(changed[0] if len(changed) == 1 else changed)


def save_figure(axis: "Axes", path: Path) -> None:
    """Saves the whole figure of the axes, in the format of the file's ending. It is written whole or not at all.

    Raises InputError if it cannot be written.
    """
    try:
        with replacing(path) as unfinished:
            axis.get_figure(root=True).savefig(unfinished, dpi=100)  # type: ignore[union-attr]
    except OSError as error:
        raise InputError(f"{path}: cannot be written: {error.strerror or error}") from None
    except ValueError as error:  # the ending is not a format that Matplotlib knows
        raise InputError(f"{path}: {str(error).splitlines()[0]}") from None
