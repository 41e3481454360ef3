"""For all tests, those of docstrings included."""

import sys
from collections.abc import Iterator

import pytest


@pytest.fixture(autouse=True)
def _figures_are_closed() -> Iterator[None]:
    """Matplotlib warns when many figures are open, and which modules share a process depends on the machine."""
    yield
    if pyplot := sys.modules.get("matplotlib.pyplot"):
        pyplot.close("all")
