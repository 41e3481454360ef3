"""What a file format says of itself: how it is recognised, how it is read, what its own columns mean."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from pkgutil import iter_modules
from typing import NamedTuple

import pyarrow as pa

from vestigo.trace.formats.packed import PACKINGS, packing_of, unpacked_name
from vestigo.trace.formats.raw import Raw, Wanted
from vestigo.trace.trace import COLUMNS


class Defaults(NamedTuple):
    """What a format's own columns mean, unless the user says otherwise."""

    columns: Mapping[str, str]
    match: str | None = None
    null_where: Mapping[str, object] = {}


OUR_NAMES = Defaults({name: f"{{{name}}}" for name in COLUMNS})
"""Of tables: each column of a trace stands under its own name."""


class CostUnit(NamedTuple):
    """The unit of a format's own cost column, and a note if it was guessed."""

    unit: str
    note: str = ""


@dataclass(frozen=True)
class Format:
    """A format. A module of `vestigo.trace.formats` has it as `FORMAT`, and nothing else names it."""

    names: tuple[str, ...]
    """Endings without the dot. They also name the format in ``format = "csv"``."""
    read: Callable[[Path, Wanted], Raw]
    defaults: Defaults = OUR_NAMES
    is_of_messages: bool = False
    """Whether rows without a key are no mistake: messages of other kinds stand between those of reads."""
    is_text: bool = True
    """Whether it is text, which may be compressed."""
    recognises: Callable[[bytes], bool] = lambda _: False
    """Whether the beginning of a text file shows this format, whatever its ending says."""
    cost_unit: Callable[[pa.ChunkedArray], CostUnit] | None = None
    """The unit of its own cost column, if the user states none. None: the same as for tables."""


def known_formats() -> dict[str, Format]:
    """All formats of this package, compressed or plain, by ending without the dot."""
    folder = Path(__file__).parent
    modules = (import_module(f"{__package__}.{one.name}") for one in iter_modules([str(folder)]))
    found: list[Format] = [module.FORMAT for module in modules if hasattr(module, "FORMAT")]
    return {
        f"{name}{packing}": one
        for one in sorted(found, key=lambda one: (not one.is_text, one.defaults is not OUR_NAMES))
        for name in one.names
        for packing in (PACKINGS if one.is_text else PACKINGS[:1])
    }


def format_named(path: Path, formats: Iterable[str]) -> str | None:
    """The format that a file's name says, also if the log was rotated (``access.log.1.gz``).

    >>> format_named(Path("logs/access.log-20260317.gz"), ["csv", "log", "log.gz"])
    'log.gz'
    """
    name = f"{unpacked_name(path)}{packing_of(path)}"
    return next((one for one in formats if name.endswith(f".{one}")), None)
