"""The verbs, one file each. A file says of itself, as `VERB`, what it is for and where it stands in the list."""

from collections.abc import Callable
from importlib import import_module
from pkgutil import iter_modules
from typing import NamedTuple


class Verb(NamedTuple):
    """A command: its function, named like the verb, says the rest in its docstring."""

    place: int
    """Its step of the work, by which the verbs are listed."""
    short: str
    run: Callable[..., None]
    statuses: str = "0 done, 2 wrong input, 130 interrupted"


def verbs() -> dict[str, Verb]:
    """By name, in the order of the work."""
    found = {one.name: import_module(f"{__name__}.{one.name}").VERB for one in iter_modules(__path__)}
    return dict(sorted(found.items(), key=lambda one: one[1].place))
