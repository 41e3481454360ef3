"""One word for one thing: who knows one function knows the next. And what is shown of each object is short."""

import inspect
import pydoc
import sys
from collections.abc import Callable
from types import ModuleType, SimpleNamespace
from typing import Any

import matplotlib as mpl
import pytest

import vestigo as vg
from tests.library.cases import seen
from vestigo.progress import reporting

mpl.use("agg")
import matplotlib.pyplot as plt

FUNCTIONS = [
    *(vg.replay, vg.compare, vg.sweep, vg.search, vg.size_curve, vg.key_by_key, vg.read_by_read, vg.why),
    *(vg.check, vg.report, vg.drive, vg.confirm),
]
SHAPES = [vg.shape.between, vg.shape.only, vg.shape.sampled, vg.shape.faster, vg.what_if.on_nodes]


@pytest.mark.parametrize("function", FUNCTIONS, ids=lambda one: one.__name__)
def test_the_settings_come_second_after_the_trace(function: Callable[..., Any]) -> None:
    names = list(inspect.signature(function).parameters)
    assert names[:2] == ["trace", "settings"]


def test_the_same_words_are_used_everywhere() -> None:
    taken = {function.__name__: inspect.signature(function).parameters for function in [*FUNCTIONS, *SHAPES]}
    replayed = set(taken) - {"size_curve", *(one.__name__ for one in SHAPES)}
    assert {name for name in replayed if "engine" not in taken[name]} == set()
    steps = {name for name, parameters in taken.items() if "progress" in parameters}
    assert steps == {"compare", "sweep", "search", "check", "report", "drive", "confirm"}
    assert all(taken[name]["progress"].default is None for name in steps)
    words = {word for parameters in taken.values() for word in parameters}
    assert not words & {"plan", "share", "faster", "factor", "axis", "axes", "bounds", "best"}
    assert "sample" in inspect.signature(vg.KeySample).parameters
    for name in vg.figures.__all__:
        parameters = inspect.signature(getattr(vg.figures, name)).parameters
        assert list(parameters)[-1] == "ax" or name in ("survey", "choice", "rehearsal")


def test_the_words_of_an_aim_are_those_of_choose() -> None:
    found = seen()["found"]
    words = list(inspect.signature(vg.Aim).parameters)
    assert words == ["most", "least", "limits", "worth", "of"]
    assert {*words} - {"of"} <= set(inspect.signature(found.choose).parameters)  # of several recordings
    aim = vg.Aim(least="loads", limits={"read_time.p95": "<= 1s"})
    assert found.choose(aim) == found.choose(least="loads", limits={"read_time.p95": "<= 1s"})
    assert found.choose(most="hit_rate", memory_peak="<= 1 MiB").aim.limits == {"memory_peak": "<= 1 MiB"}
    assert found.choose().plan is found.choose().candidate.plan


def test_tables_have_a_row_for_each_thing_that_is_compared() -> None:
    seen_here = seen()
    found, tr, r = seen_here["found"], seen_here["tr"], seen_here["r"]
    table = found.to_pandas()
    assert table["short"].tolist() == ["#0", "#1", "#2"] and table["rules.max_entries"].tolist() == [50, 10, 20]
    assert table["loads"].dtype == table["evictions"].dtype == table["memory_peak"].dtype == "int64"
    assert found["#1"].name == table.index[1]
    pick = found.choose().to_pandas()
    assert list(pick.index[:3]) == ["no cache", "today", "the pick"] and pick.index.name == "compared"
    assert vg.survey(tr).to_pandas().index.name == seen_here["o"].to_pandas().index.name == "lookup"
    driven = vg.drive(tr, r, read=lambda lookup, key, load: load()).to_pandas()
    assert list(driven.index) == [(name, of) for name in ("reads", "all") for of in ("driven", "replayed")]
    end = int(tr.at[-1])
    scrapes = [{"at": int(tr.at[0]), "hits": 0, "misses": 0}, {"at": end, "hits": 1500, "misses": 1400}]
    confirmed = vg.confirm(tr, r, scrapes).to_pandas()
    assert ("all", "hit_rate") in confirmed.index and {"measured", "predicted", "low", "high"} <= set(confirmed.columns)
    plan = vg.Plan(r, {"a": {"absolute": "1m"}}).to_pandas()
    assert plan.loc["a"].tolist() == [50, "1m"] and plan.loc["every other"].tolist() == [50, "never"]
    reads, keys = vg.read_by_read(tr, r).to_pandas(), vg.key_by_key(tr, r).to_pandas()
    assert not [name for name in [*reads.columns, *keys.columns] if name.endswith("_ns")]
    assert keys["origin_time"].sum() == pytest.approx(seen_here["o"].measure("origin_time"))
    assert keys["misses.first"].sum() == seen_here["o"].misses_by_cause["first"]


def test_help_is_a_page_of_rules_and_dir_is_what_is_for_users() -> None:
    page = pydoc.plain(pydoc.render_doc(vg.Rules))
    assert len(page.splitlines()) < 130 and "Validator" not in page and "lambda" not in page
    for name in vg.Rules.model_fields:
        assert f"{name}: " in page
    for shown in (vg.Rules(), vg.Pool(lookups=["a"]), vg.WhatIf()):
        assert set(type(shown).model_fields) <= set(dir(shown))
        assert not [name for name in dir(shown) if name.startswith(("_", "model_f", "parse", "json", "schema"))]
    assert {"hit_rate", "memory_peak", "measure", "plan"} <= set(dir(seen()["found"].today))
    for module in (vg.shape, vg.what_if, vg.figures):
        assert dir(module) == sorted(module.__all__)
    assert str(inspect.signature(vg.WhatIf)).startswith("(*, nodes=None, spread='in turn', traffic='1'")


def test_everything_shows_shortly_in_a_notebook() -> None:
    seen_here = seen()
    rules = vg.Rules(max_entries=5, absolute="1h")
    plan = vg.Plan(rules, {"<b>": {"absolute": "1m"}}, vary={"rules.pin": [["k"]]}, warm_up="1s")
    survey = seen_here["survey"]
    everything: list[Any] = [
        *(rules, plan, vg.Plan(), vg.Aim(least="loads"), vg.Worth(stale_read=1), vg.WhatIf(nodes=2), vg.Intake()),
        *(survey.verdicts["reads"], survey.total, seen_here["found"], seen_here["o"], vg.CounterNames()),
    ]
    for one in everything:
        markup = one._repr_html_()
        assert markup.startswith(("<p>", "<table>", "<pre>")) and "<b>" not in markup
        assert len(repr(one)) < 400 and "\n" not in repr(one) and " object at 0x" not in repr(one)
    assert repr(plan) == ("<Plan: Rules(max_entries=5, absolute='1h'), 1 look-up, 1 key that varies, warm-up 1s>")
    assert repr(vg.KeySample(seen_here["tr"])) == "<KeySample of synth: 4 samples of 1 key in 10>"


@pytest.mark.parametrize("ground", ["dark_background", "default"])
def test_figures_are_legible_on_the_ground_of_the_style_in_force(ground: str) -> None:
    seen_here = seen()
    with plt.style.context(ground):
        axes = plt.subplots(3, 3)[1]
        draws = {
            "front": lambda ax: vg.figures.front(seen_here["found"], ax=ax),
            "causes": lambda ax: vg.figures.causes(seen_here["o"], ax=ax),
            "one look-up": lambda ax: vg.figures.causes(seen_here["o"].lookups["reads"], ax=ax),
            "one curve": lambda ax: vg.figures.size_curves(seen_here["curve"], ax=ax),
            "reuse": lambda ax: vg.figures.reuse_times(seen_here["survey"], ax=ax),
            "origin": lambda ax: vg.figures.origin_time(seen_here["survey"], ax=ax),
        }
        for draw, ax in zip(draws.values(), axes.flat, strict=False):
            assert draw(ax) is ax
        assert vg.figures.timeline(seen_here["o"], ax=axes[:, 2])[0] is axes[0, 2]
        for ax in axes.flat:
            below = mpl.colors.to_rgb(ax.get_facecolor())
            texts = [text for text in ax.findobj(mpl.text.Text) if text.get_text()]
            for text in texts:
                assert abs(_light(text.get_color()) - _light(below)) > 0.25, text.get_text()
        plt.close("all")


def _light(colour: Any) -> float:
    red, green, blue = mpl.colors.to_rgb(colour)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def test_progress_is_told_in_one_way(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[tuple[str, int, int]] = []
    vg.sweep(seen()["tr"], seen()["plan"], progress=lambda *step: told.append(step))
    assert told[-1] == ("replays", 6, 6) and [done for _, done, _ in told] == list(range(1, 7))
    vg.drive(seen()["tr"], vg.Rules(), read=lambda lookup, key, load: load(), progress=lambda *step: told.append(step))
    assert ("driving the cache", 0, 0) in told
    monkeypatch.setattr("vestigo.progress._AFTER_SECONDS", 0.0)
    with reporting(True) as report:
        report("replays", 1, 3)
    assert capsys.readouterr().err == "\r\x1b[Kreplays: 1 of 3\r\x1b[K"
    with reporting(None) as report:
        report("replays", 1, 3)
    assert capsys.readouterr().err == ""


def test_a_notebook_shows_progress_by_itself(monkeypatch: pytest.MonkeyPatch) -> None:
    written: list[str] = []

    class Handle:
        def update(self, content: dict[str, str], raw: bool) -> None:
            written.append(content["text/plain"])

    def display(content: dict[str, str], raw: bool, display_id: bool) -> Handle:
        written.append(content["text/plain"])
        return Handle()

    notebook = ModuleType("IPython")
    notebook.get_ipython = lambda: SimpleNamespace(kernel=1)  # type: ignore[attr-defined]
    shows = ModuleType("IPython.display")
    shows.display = display  # type: ignore[attr-defined]
    monkeypatch.setitem(sys.modules, "IPython", notebook)
    monkeypatch.setitem(sys.modules, "IPython.display", shows)
    monkeypatch.setattr("vestigo.progress._AFTER_SECONDS", 0.0)
    monkeypatch.setattr("vestigo.progress._EVERY_SECONDS", 0.0)
    vg.compare(seen()["tr"], vg.Rules(), progress=False)
    assert written == []
    vg.compare(seen()["tr"], vg.Rules())
    assert written[:3] == ["parts: 1 of 1", "replays: 1 of 4", "replays: 2 of 4"] and written[-1] == ""
