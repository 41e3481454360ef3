"""Durations, sizes and shares: what is read, what is refused, and how they are shown."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vestigo.units import SIZES, SPANS, Duration, best_unit, format_amount, parse_bytes, three_digits


@given(st.integers(0, 3 * 10**18))
def test_a_duration_reads_back_what_it_prints(ns: int) -> None:
    assert Duration.parse(str(Duration(ns))) == ns


@given(st.integers(0, 2**60))
def test_a_size_reads_back_as_bytes(size: int) -> None:
    assert parse_bytes(f"{size} B") == parse_bytes(size) == size


@given(st.floats(1e-9, 1e15))
def test_three_digits_are_within_half_a_percent(number: float) -> None:
    shown = three_digits(number).replace(",", "")
    assert abs(float(shown) - number) <= 0.0051 * number
    assert len(shown.replace(".", "").strip("0")) <= max(3, len(str(int(number))))


@given(st.floats(1e-9, 1e12))
def test_an_amount_is_shown_in_the_largest_unit_it_fills(seconds: float) -> None:
    size, name = best_unit(seconds, SPANS)
    assert format_amount(seconds, SPANS).endswith(f" {name}")
    assert seconds >= size * 0.999
    assert best_unit(0, SIZES) == (1, "B")


@pytest.mark.parametrize("text", ["", "s", "5", "-5s", "5 s s", "1e3s", "five seconds", "0.1ns", None, True, [5]])
def test_what_is_no_duration_is_refused(text: object) -> None:
    with pytest.raises(ValueError):  # noqa: PT011
        Duration.parse(text)


@pytest.mark.parametrize("text", ["", "MiB", "5 mib", "-5 B", "0.3 B", "2 EiB", None, True, 1.5, 2**61])
def test_what_is_no_size_is_refused(text: object) -> None:
    with pytest.raises(ValueError):  # noqa: PT011
        parse_bytes(text)
