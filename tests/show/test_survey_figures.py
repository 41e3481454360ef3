"""The figures of a survey draw what it counted, also for odd traces."""

import matplotlib as mpl
import matplotlib.pyplot as plt
import numpy as np
import pytest

from vestigo import figures, read_trace, survey
from vestigo.show.figures.labels import Line, label_lines


@pytest.fixture(autouse=True)
def no_screen() -> None:
    mpl.use("agg")


@pytest.mark.parametrize(
    "table",
    [
        {"at": [], "key": []},
        {"at": [5], "key": ["a"]},
        {"at": [5, 5, 5], "key": ["a", "a", "b"]},
        {"at": [0, 10**18], "key": ["a", "a"], "lookup": ["$x_1$\x1b", "$x_1$\x1b"], "cost": [0, 7]},
        {"at": range(50), "key": [str(i % 7) for i in range(50)], "lookup": [f"l{i % 25}" for i in range(50)]},
        {"at": [1, 2], "key": ["a", None], "op": ["write", "clear"]},
    ],
)
def test_any_trace_can_be_drawn(table: dict[str, list[object]]) -> None:
    axes = figures.survey(survey(read_trace(table)))
    axes[0].figure.canvas.draw()
    assert len(axes) == 4


def test_popularity_rises_to_all_reads() -> None:
    found = survey(read_trace({"at": range(10), "key": list("aaaaaabbbc")}))
    (line,) = figures.popularity(found).get_lines()
    assert np.allclose(line.get_xydata(), [[1, 0.6], [2, 0.9], [3, 1.0]])


def test_reuse_times_tell_how_many_repeats_come_within() -> None:
    seconds = np.array([0, 1, 2, 102, 202], np.int64) * 10**9
    (line,) = figures.reuse_times(survey(read_trace({"at": seconds, "key": ["a"] * 5}))).get_lines()
    times, shares = line.get_xydata().T
    assert shares[times < 0.99].max() == 0
    assert np.allclose(shares[(times > 1.5) & (times < 90)], 0.5)
    assert shares[-1] == 1


def test_a_label_stands_where_no_other_line_or_label_is() -> None:
    axis = plt.subplots()[1]
    axis.set_xscale("log")
    axis.set_xlim(1, 1000)
    height = np.linspace(0, 1, 50)
    lines = [Line(f"line {number}", "black", np.logspace(number, number + 0.5, 50), height) for number in range(3)]
    label_lines(axis, lines)
    axis.figure.canvas.draw()
    boxes = [text.get_window_extent() for text in axis.texts]
    assert len(boxes) == 3
    assert not any(one.overlaps(other) for i, one in enumerate(boxes) for other in boxes[:i])
