"""Writes figures to files."""

from pathlib import Path
from typing import TYPE_CHECKING

from vestigo.errors import InputError
from vestigo.files import replacing

if TYPE_CHECKING:
    from matplotlib.axes import Axes


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
