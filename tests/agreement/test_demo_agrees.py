"""The engines agree on the demo under today's settings and the pick: on a third of its keys, or on all when
exploring.
"""

import os

import pytest

from tests.agreement.test_engines_agree import assert_agree
from tests.demo.tended import tended
from vestigo import Plan, Trace, read_plan, read_trace, replay, shape
from vestigo.demo import files


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> tuple[Trace, Plan]:
    path, plan = files.write_demo(tmp_path_factory.mktemp("demo"))
    trace = read_trace(path)
    return trace if "VESTIGO_CASES" in os.environ else shape.sampled(trace, "30%"), read_plan(plan)


@pytest.mark.parametrize("name", ["today", "tended"])
def test_the_engines_agree_on_the_demo(demo: tuple[Trace, Plan], name: str) -> None:
    trace, plan = demo
    settings = plan if name == "today" else tended(plan)
    assert_agree(replay(trace, settings), replay(trace, settings, engine="reference"))
