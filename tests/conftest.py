"""Random tests use the same examples on every machine. VESTIGO_CASES=20000 asks for that many new ones (``make
explore``).
"""

import os

import pytest
from hypothesis import HealthCheck, settings

_ALWAYS = {
    "deadline": None,
    "suppress_health_check": [HealthCheck.too_slow, HealthCheck.data_too_large, HealthCheck.filter_too_much],
}
settings.register_profile("fixed", max_examples=40, derandomize=True, database=None, **_ALWAYS)
settings.register_profile("explore", max_examples=int(os.environ.get("VESTIGO_CASES", "60")), **_ALWAYS)
settings.load_profile("explore" if "VESTIGO_CASES" in os.environ else "fixed")


@pytest.fixture(params=["native", "reference"])
def engine(request: pytest.FixtureRequest) -> str:
    """Both engines, one after the other."""
    return str(request.param)
