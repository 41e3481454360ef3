"""Tables and figures: what they show, and that what they show is harmless."""

import io

import matplotlib
import pytest
from matplotlib.colors import to_rgba
from rich.console import Console
from rich.text import Text

from tests.telling import told
from vestigo import Plan, Rules, Trace, compare, figures, read_trace, replay
from vestigo.show import style
from vestigo.show.notes import kept_together
from vestigo.show.safe import HELD, printable
from vestigo.show.tables import By, comparison_text

matplotlib.use("agg")

TRACE = told("0 read a cost=1 size=900", "2 read a cost=1 size=900", "3 restart", "4 clear", "9 read b cost=1 found=no")


def shown(trace: Trace, plan: Plan, by: By | None = None) -> str:
    console = Console(file=io.StringIO(), width=100, highlight=False)
    console.print(comparison_text(compare(trace, plan), by))
    return console.file.getvalue().replace(HELD, " ")  # type: ignore[attr-defined,no-any-return]


def test_the_answer_comes_first_and_every_setting_has_a_row() -> None:
    text = shown(TRACE, Plan(candidates={"short": Plan(Rules(absolute="1s"))}))
    assert text.startswith("Today's settings answer 33.3 % of 3 reads, and save readers ")
    rows = {line[:16].strip(): line.split() for line in text.splitlines()}
    assert rows["no cache"][-1] == "0"
    assert {"today", "short", "no limits", "no limits, fresh"} <= set(rows)


def test_amounts_of_a_column_share_a_unit_and_their_points_stand_under_each_other() -> None:
    text = shown(TRACE, Plan())
    first = text.split("readers get")[1].split("how old")[0]
    lines = [line for line in first.splitlines() if line.startswith(("today", "no limits "))]
    assert len({line.find("33.3") for line in lines}) == 1
    assert "KiB" in text or " B" in text


def test_many_causes_are_spread_over_tables_within_the_width() -> None:
    rows = [f"{i} read k{i % 7} lookup=x size=10 cost=3" for i in range(400)]
    rows += ["400 write k1 lookup=x", "401 clear", "402 restart", "403 read k1 lookup=x force=yes cost=1"]
    plan = Plan(Rules(max_entries=2, absolute="9s", sliding="5s"), candidates={"x" * 50: Plan()})
    assert max(map(len, shown(told(*rows), plan, "lookup").splitlines())) <= 100


def test_a_trace_without_reads_is_said_to_have_none() -> None:
    assert shown(told("0 clear", "1 restart"), Plan()).startswith("The trace holds no reads to count.")


def test_text_that_could_steer_a_terminal_is_written_out() -> None:
    assert printable("a\x1b]0;b\x07\u202e\n") == "a\\x1b]0;b\\x07\\u202e\\n"
    assert printable("x" * 99, 10) == "x" * 9 + "…"
    assert printable("Skerrów") == "Skerrów"


def test_the_timeline_marks_restarts_and_clears() -> None:
    outcome = replay(TRACE, Rules(), name="$a_b$ [red]")
    rates, calls, memory = figures.timeline(outcome)
    assert [text.get_text() for text in rates.texts] == ["hits", "restart", "clear"]
    assert rates.get_ylim() == (0, 1)
    assert calls.get_ylabel() == "origin calls\nper 1.00 s"
    assert memory.get_ylabel() == "memory (B)"
    assert "$a_b$ [red]" in rates.figure.get_suptitle() and "stale" not in rates.figure.get_suptitle()
    rates.figure.savefig(io.BytesIO())


def test_the_timeline_draws_what_the_trace_can_know_of_stale_hits() -> None:
    rates, *_ = figures.timeline(replay(told("0 read a version=1", "2 read a version=2"), Rules()))
    assert [text.get_text() for text in rates.texts] == ["hits", "stale hits"]
    assert "50.0 % of 2 reads hit, at least 50.0 % stale" in rates.figure.get_suptitle()


def test_the_timeline_draws_on_axes_that_are_given() -> None:
    figure, axes = matplotlib.pyplot.subplots(3)
    assert figures.timeline(replay(TRACE, Rules()), axes) is axes
    matplotlib.pyplot.close(figure)


def test_an_outcome_of_nothing_can_be_drawn() -> None:
    axes = figures.timeline(replay(read_trace({"at": [], "key": []}), Rules()))
    axes[0].figure.savefig(io.BytesIO())


@pytest.mark.parametrize("colour", [style.ACCENT, style.WARNING, style.SECOND, style.INK])
def test_colours_stand_out_from_the_ground(colour: str) -> None:
    def light(name: str) -> float:
        red, green, blue, _ = to_rgba(name)
        return 0.2126 * red**2.2 + 0.7152 * green**2.2 + 0.0722 * blue**2.2

    assert (light(style.GROUND) + 0.05) / (light(colour) + 0.05) > 4


def test_where_the_trace_shows_no_changes_nothing_is_said_of_freshness() -> None:
    text = " ".join(shown(told("0 read a cost=1", "540 read a cost=1"), Plan()).split())
    assert "This trace shows no changes, so how many answers were old is unknown; the oldest was given 9.00 min" in text
    assert "fresh data" not in text and "old data" not in text
    assert "today 50.0 - - " in text


def test_time_that_is_lost_is_said_to_be() -> None:
    text = " ".join(shown(told("0 read a cost=1", "1 read a cost=1"), Plan(Rules(hit_cost="3s"))).split())
    assert "save readers -2.00 s of 2.00 s. Readers wait longer than with no cache." in text


def test_whose_cache_it_is_stands_above_and_what_is_assumed_below() -> None:
    trace = told(*(f"{at} read a{at % 3} node=n{at % 2} scope=s{at // 4} size=5" for at in range(40)))
    text = shown(trace, Plan(Rules(max_entries=2)))
    assert text.startswith("Replayed: 2 nodes, a cache each. Today's settings")
    assert text.rstrip().endswith("Assumed: an overhead of 64 bytes an entry; a cost of 0s for 40 reads.")


@pytest.mark.parametrize(("by", "says"), [("time", "today, from (UTC)"), ("scope", "origin calls a scope")])
def test_numbers_are_told_over_time_and_by_scope(by: By, says: str) -> None:
    trace = told(*(f"{at * 7} read a{at % 3} scope=s{at // 4} cost=1" for at in range(40)))
    text = shown(trace, Plan(Rules(absolute="20s")), by)
    assert says in text
    assert max(map(len, text.splitlines())) <= 100
    if by == "scope":
        results = compare(trace, Plan(Rules(absolute="20s")))
        assert f"{results['today'].loads / 10:.2f}" in text.split("by scope")[1]


def test_no_number_is_parted_from_its_unit() -> None:
    held = kept_together(Text("save 44.5 min of 1.77 h, 84.1 % of 3 reads, 64 MiB")).plain
    assert held == "save 44.5_min of 1.77_h, 84.1_% of 3_reads, 64_MiB".replace("_", HELD)
