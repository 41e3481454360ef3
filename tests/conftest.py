"""How many random cases are tried: about a hundred, or with VESTIGO_CASES=20000 as many as that says."""

import os

import pytest
from hypothesis import HealthCheck, settings

settings.register_profile(
    "vestigo",
    max_examples=int(os.environ.get("VESTIGO_CASES", "120")),
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large, HealthCheck.filter_too_much],
)
settings.load_profile("vestigo")


@pytest.fixture(params=["native", "reference"])
def engine(request: pytest.FixtureRequest) -> str:
    """Both engines, one after the other: they mean the same."""
    return str(request.param)
