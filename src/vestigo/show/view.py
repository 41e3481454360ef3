"""``shown``: the tables and sentences that show an object. The function that shows a type registers with it."""

from functools import singledispatch

from rich.console import RenderableType
from rich.text import Text


@singledispatch
def shown(what: object) -> RenderableType:
    """The tables that the command line shows for an object."""
    return Text(repr(what))
