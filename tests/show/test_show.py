"""Tables and figures: what they show, and that what they show is harmless."""

import io

import matplotlib
import pytest
from matplotlib.colors import to_rgba
from rich.console import Console

from tests.telling import told
from vestigo import Plan, Rules, Trace, compare, figures, replay
from vestigo.show import style
from vestigo.show.safe import printable
from vestigo.show.tables import comparison_text

matplotlib.use("agg")

TRACE = told("0 read a cost=1 size=900", "2 read a cost=1 size=900", "3 restart", "4 clear", "9 read b cost=1 found=no")


def shown(trace: Trace, plan: Plan, by_lookup: bool = False) -> str:
    console = Console(file=io.StringIO(), width=100, highlight=False)
    console.print(comparison_text(compare(trace, plan), by_lookup))
    return console.file.getvalue()  # type: ignore[attr-defined,no-any-return]


def test_the_answer_comes_first_and_every_setting_has_a_row() -> None:
    text = shown(TRACE, Plan(candidates={"short": Plan(Rules(absolute="1s"))}))
    assert text.startswith("Today's settings answer 33.3 % of 3 reads")
    rows = {line[:16].strip(): line.split() for line in text.splitlines()}
    assert rows["no cache"][-1] == "0"
    assert {"today", "short", "no limits", "no limits, fresh"} <= set(rows)


def test_amounts_of_a_column_share_a_unit_and_their_points_stand_under_each_other() -> None:
    text = shown(TRACE, Plan())
    lines = [line for line in text.splitlines() if line.startswith(("today", "no limits "))]
    assert len({line.find("33.3") for line in lines[:2]}) == 1
    assert "KiB" in text or " B" in text


def test_many_causes_are_spread_over_tables_within_the_width() -> None:
    rows = [f"{i} read k{i % 7} lookup=x size=10 cost=3" for i in range(400)]
    rows += ["400 write k1 lookup=x", "401 clear", "402 restart", "403 read k1 lookup=x force=yes cost=1"]
    plan = Plan(Rules(max_entries=2, absolute="9s", sliding="5s"), candidates={"x" * 50: Plan()})
    assert max(map(len, shown(told(*rows), plan, by_lookup=True).splitlines())) <= 100


def test_a_trace_without_reads_is_said_to_have_none() -> None:
    assert shown(told("0 clear", "1 restart"), Plan()).startswith("The trace holds no reads to count.")


def test_text_that_could_steer_a_terminal_is_written_out() -> None:
    assert printable("a\x1b]0;b\x07\u202e\n") == "a\\x1b]0;b\\x07\\u202e\\n"
    assert printable("x" * 99, 10) == "x" * 9 + "…"
    assert printable("Skerrów") == "Skerrów"


def test_the_timeline_marks_restarts_and_clears() -> None:
    outcome = replay(TRACE, Rules(), name="$a_b$ [red]")
    rates, calls, memory = figures.timeline(outcome)
    assert [text.get_text() for text in rates.texts] == ["hits", "stale hits", "restart", "clear"]
    assert rates.get_ylim() == (0, 1)
    assert calls.get_ylabel() == "origin calls\nper 1.00 s"
    assert memory.get_ylabel() == "memory (B)"
    assert "$a_b$ [red]" in rates.figure.get_suptitle()
    rates.figure.savefig(io.BytesIO())


def test_the_timeline_draws_on_axes_that_are_given() -> None:
    figure, axes = matplotlib.pyplot.subplots(3)
    assert figures.timeline(replay(TRACE, Rules()), axes) is axes
    matplotlib.pyplot.close(figure)


def test_an_outcome_of_nothing_can_be_drawn() -> None:
    axes = figures.timeline(replay(Trace.from_table({"at": [], "key": []}), Rules()))
    axes[0].figure.savefig(io.BytesIO())


@pytest.mark.parametrize("colour", [style.ACCENT, style.WARNING, style.SECOND, style.INK])
def test_colours_stand_out_from_the_ground(colour: str) -> None:
    def light(name: str) -> float:
        red, green, blue, _ = to_rgba(name)
        return 0.2126 * red**2.2 + 0.7152 * green**2.2 + 0.0722 * blue**2.2

    assert (light(style.GROUND) + 0.05) / (light(colour) + 0.05) > 4
