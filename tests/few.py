"""Random tests that take long have fewer examples in ``make test``, and as many as any in ``make explore``."""

import os

from hypothesis import settings


def few(examples: int) -> settings:
    """For a test that is given random examples."""
    return settings(max_examples=int(os.environ.get("VESTIGO_CASES", examples)))
