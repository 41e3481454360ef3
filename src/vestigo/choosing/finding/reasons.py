"""Explains what a search found, in plain sentences."""

from vestigo.choosing.pick import Pick


def sentences(pick: Pick) -> tuple[str, ...]:
    return ("found",)
