"""Nothing that a user gives is lost in silence: what means nothing is refused, with a sentence."""

import matplotlib as mpl
import pytest

import vestigo as vg
from tests.library.cases import CALLS, SETTINGS, TABLES, Case, seen

mpl.use("agg")


@pytest.mark.parametrize("case", [*TABLES, *SETTINGS, *CALLS], ids=lambda case: case.code)
def test_it_is_refused_with_a_sentence(case: Case, tmp_path: object, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(str(tmp_path))
    with pytest.raises(case.error) as raised:
        eval(case.code, dict(seen()))
    assert case.words in str(raised.value)
    if isinstance(raised.value, vg.InputError):
        assert type(raised.value) is case.error
        assert all("\n" not in problem and not problem.endswith(".") for problem in raised.value.problems)


def test_an_unknown_name_is_a_key_error_and_a_rules_error_too() -> None:
    found = seen()["found"]
    with pytest.raises(KeyError):
        found["typo"]
    assert found.get("typo") is None and "typo" not in found
    assert issubclass(vg.UnknownName, vg.RulesError) and issubclass(vg.UnknownName, vg.InputError)


def test_all_that_is_wrong_with_a_plan_is_said_at_once() -> None:
    with pytest.raises(vg.RulesError) as raised:
        vg.Plan(
            {"max_entries": -1},
            lookups={"a": {"absolute": 5}},
            candidates={"#1": vg.Rules()},
            warm_up="x",
            aim={"most": "loads"},
            vary={"rules.pin": []},
        )
    places = [problem.split(":")[0] for problem in raised.value.problems]
    assert places == [
        *("rules.max_entries", "warm_up", "vary.rules.pin", "aim.most", "candidate.#1", "lookup.a.absolute"),
    ]
