"""Writes figures to files."""

from pathlib import Path
from typing import TYPE_CHECKING

from vestigo.errors import InputError
from vestigo.files import replacing

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def save_figure(axis: "Axes", path: Path) -> None:
    """The whole figure that the axes belong to, in the format of the ending; whole or not at all.

    Raises InputError if it cannot be written.
    """
    try:
        with replacing(path) as unfinished:
            axis.get_figure(root=True).savefig(unfinished, dpi=100)  # type: ignore[union-attr]
    except OSError as error:
        raise InputError(f"{path}: cannot be written: {error.strerror or error}") from None
    except ValueError as error:  # an ending that is no format of Matplotlib's
        raise InputError(f"{path}: {str(error).splitlines()[0]}") from None
