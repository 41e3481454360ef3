"""The verbs, one file each. The `VERB` in a file says what it is for and where it stands in the list."""

from collections.abc import Callable
from importlib import import_module
from pkgutil import iter_modules
from typing import NamedTuple


class Verb(NamedTuple):
    """A command. Its function has the name of the verb, and its docstring is the help."""

    place: int
    """The step of the work at which it is used. Verbs are listed in this order."""
    short: str
    run: Callable[..., None]
    statuses: str = "0 done, 2 wrong input, 130 interrupted"


def verbs() -> dict[str, Verb]:
    """All verbs by name, in the order of the work."""
    found = {one.name: import_module(f"{__name__}.{one.name}").VERB for one in iter_modules(__path__)}
    return dict(sorted(found.items(), key=lambda one: one[1].place))
