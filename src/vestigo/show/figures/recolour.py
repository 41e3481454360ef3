"""Gives what was drawn on dark axes the colours for a dark ground."""

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.colors import LinearSegmentedColormap, to_rgb, to_rgba

from vestigo.show import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_DARK = {to_rgb(colour): to_rgb(style.DARK[role]) for colour, role in style.ROLES.items()}
_PARTS = ("color", "facecolor", "edgecolor", "markerfacecolor", "markeredgecolor")


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
