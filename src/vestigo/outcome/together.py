"""Measures of several slices of time as one."""

from dataclasses import fields

from vestigo.outcome.measures import Measures
from vestigo.outcome.slices import Slices


def together(slices: Slices) -> Measures:
    """The measures of slices that follow each other. There must be at least one.

    A minute that lies in two slices counts with the larger part of its calls.
    """
    joined = {one.name: one.metadata.get("joined", sum)(slices.column(one.name)) for one in fields(Measures)}
    return Measures(**joined)
