"""A study as people see it: text within 100 columns, figures with everything named."""

from pathlib import Path

import matplotlib
import pytest

from vestigo import (
    InputError,
    Pick,
    Plan,
    Rules,
    SizeCurve,
    Sweep,
    figures,
    read_trace,
    replay,
    size_curve,
    sweep,
    synth,
)
from vestigo.engine.size_curve import with_real_rates
from vestigo.show.figures.canvas import save_figure
from vestigo.show.grid import Column, grid
from vestigo.show.markup import markup
from vestigo.show.pick import pick_text
from vestigo.show.safe import HELD
from vestigo.show.study import curves_text, sweep_text
from vestigo.units import format_share

matplotlib.use("agg")
TRACE = synth(reads=5000, keys=300, skew=0.9, changes="10m", seed=2)
PLAN = Plan(
    Rules(max_entries=30, absolute="1m"),
    vary={"rules.max_entries": [10, 100, 300], "rules.absolute": ["10s", "1m"]},
)


@pytest.fixture(scope="module")
def study() -> Sweep:
    return sweep(TRACE, PLAN)


@pytest.fixture(scope="module")
def pick(study: Sweep) -> Pick:
    return study.choose(most="fresh_hit_rate", memory_peak="<= 1 MiB")


def text_of(shown: object) -> str:
    from rich.console import Console

    console = Console(width=100, highlight=False)
    with console.capture() as captured:
        console.print(shown)
    return captured.get().replace(HELD, " ")


def test_long_names_stand_below_the_table(study: Sweep) -> None:
    shown = text_of(sweep_text(study))
    assert shown.startswith(f"{len(study)} candidates, {len(study.front())} of them the best trade-offs")
    assert max(map(len, shown.splitlines())) <= 100
    told = shown.split("number", 1)[1].splitlines() if "number" in shown else []
    shared = shown.split("all that follow: ")[1].splitlines()[0] if "all that follow: " in shown else ""
    for number, name in enumerate(study):
        if len(name) > 22 and study[name] in study.front():
            row = next(line for line in told if line.startswith(f"#{number} "))
            assert all(str(value) in row or str(value) in shared for value in study[name].changes.values())


def test_a_pick_says_in_short_tables_what_it_changes_and_what_gets_better() -> None:
    vary = {"rules.max_entries": [5, 400], "rules.absolute": ["1s", "1h"], "lookup.reads.on_write": ["leave", "drop"]}
    pick = sweep(TRACE, Plan(Rules(max_entries=30, absolute="10m"), vary=vary)).choose(most="fresh_hit_rate")
    assert len(pick.candidate.changes) == 3 and not any("max_entries=" in line for line in pick.because)
    assert pick.because[0].startswith("Recommended settings with fresh hits ")
    rows = [line.split() for line in text_of(pick_text(pick)).splitlines()]
    assert ["rule", "today", "the", "pick"] in rows and ["max_entries", "30", "400"] in rows
    (hits,) = (row for row in rows if row[:2] == ["fresh", "hits"])
    assert hits[-1] == "better" and hits[2] == format_share(pick.among.today.fresh_hit_rate).split()[0]
    ceiling = " ".join(word for row in rows for word in row).partition("No settings give fresh hits above ")[2]
    assert ceiling.partition("%")[2].startswith(" unless they preload more.")


def test_what_comes_closest_to_limits_that_nothing_keeps_is_called_so(study: Sweep) -> None:
    pick = study.choose(most="hit_rate", hit_rate=">= 99.9 %")
    assert not pick.is_met and pick.candidate.name != "today"
    rows = [line.split() for line in text_of(pick_text(pick)).splitlines()]
    assert ["measure", "today", "closest"] in rows


def test_names_of_a_table_can_lead_to_addresses_and_stay_text() -> None:
    made = markup(grid("key", ["<b>a", "b"], [Column("hits", "", ["1", "2"])], ["", ""], links=["k?a=<1>&b", "k?b"]))
    assert '<a href="k?a=&lt;1&gt;&amp;b">&lt;b&gt;a</a>' in made and '<a href="k?b">b</a>' in made


def test_a_pick_says_of_how_many_that_were_estimated_it_is_the_best() -> None:
    study = sweep(TRACE, PLAN, sample="10%")
    shown = text_of(pick_text(study.choose(most="fresh_hit_rate")))
    assert f"the best of {len(study)} replayed of 7 candidates" in " ".join(shown.split())
    assert "Assumed: an overhead of 64 bytes an entry" in " ".join(shown.split())
    assert shown.endswith(f"7 were estimated from 10% of the keys, {len(study)} of them replayed\n")


def test_a_hostile_name_is_shown_harmlessly() -> None:
    plan = Plan(candidates={"a\x1b[31m[red]": Plan(Rules(max_entries=9))})
    shown = text_of(sweep_text(sweep(TRACE, plan)))
    assert "\x1b[31m" not in shown
    assert "[red]" in shown


def test_the_front_names_today_the_pick_and_the_ceiling(study: Sweep, pick: Pick) -> None:
    axis = figures.front(study, pick)
    said = [text.get_text() for text in axis.texts]
    assert "today" in said
    assert any(one.startswith("the pick") for one in said)
    assert any(one.startswith("upper bound for any settings") for one in said)
    assert axis.get_xlabel() == "memory peak"


def test_curves_name_every_look_up_and_mark_today() -> None:
    curve = size_curve(TRACE, PLAN, lookup=TRACE.lookups[0])
    axis = figures.size_curves([curve])
    assert TRACE.lookups[0] in [text.get_text() for text in axis.texts]
    today = [line for line in axis.lines if line.get_marker() == "D"]
    assert today[0].get_ydata()[0] == pytest.approx(curve.hit_rate(30), abs=0.01)
    shown = text_of(curves_text([curve]))
    assert f"{curve.enough_entries:,} entries give a hit rate of" in shown and 'replayed"' not in shown
    shown = text_of(curves_text(with_real_rates(TRACE, PLAN, [curve])))
    assert "today's real hit rate" in " ".join(shown.split())
    assert max(map(len, shown.splitlines())) <= 100


def test_a_heat_map_has_the_best_of_each_pair(study: Sweep) -> None:
    axis = figures.heat(study, "rules.max_entries", "rules.absolute")
    shown = {text.get_text() for text in axis.texts}
    from vestigo.units import format_share

    assert shown == {format_share(one.measure("fresh_hit_rate")) for one in study.values() if one.changes}
    with pytest.raises(InputError, match=r"'rules.sliding' is unknown; known are rules.absolute, rules.max_entries"):
        figures.heat(study, "rules.max_entries", "rules.sliding")
    with pytest.raises(InputError, match="is unknown"):
        figures.heat(study, "rules.max_entries", "rules.absolute", "speed")


def test_causes_hold_what_was_missed() -> None:
    outcome = replay(TRACE, Rules(max_entries=30))
    said = [text.get_text() for text in figures.causes(outcome).texts]
    assert any(f"{outcome.misses_by_cause['evicted']:,} reads" in one for one in said)


def test_a_page_of_all_four_is_written(study: Sweep, pick: Pick, tmp_path: Path) -> None:
    curves: list[SizeCurve] = [size_curve(TRACE), size_curve(read_trace({"at": [0], "key": ["a"]}))]
    page = figures.choice(study, pick, curves, replay(TRACE, PLAN))
    save_figure(page[0], tmp_path / "choice.png")
    assert (tmp_path / "choice.png").stat().st_size > 20_000
    assert page[3].get_title("left").startswith("Fresh hits, of all candidates")
