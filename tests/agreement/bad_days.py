"""Random cases in which much fails: few keys that expire soon, and an origin that is often away. In half of them it is
only busy or slow, and the plain replay knows all of the rules.
"""

from functools import partial

from hypothesis import strategies as st

from tests.agreement.cases import UNITS, Case, fitting, preloads, trace_of
from tests.agreement.origins import origins
from vestigo import Plan
from vestigo.units import Duration


def _rows(away: bool) -> st.SearchStrategy[list[tuple[object, ...]]]:
    return st.lists(
        st.tuples(
            st.sampled_from([0, 1, 1, 2, 3]),
            st.sampled_from(["read"] * 12 + ["write", "restart", "clear", "preload" if away else "read"]),
            st.sampled_from(["x", "x", "y"]),
            st.sampled_from([0, 0, 1]),
            st.sampled_from([1, 10]),
            st.sampled_from([0, 1, 2, 5]),
            st.sampled_from([None, None, False]),
            st.sampled_from([None, None, 1, 2]),
            st.sampled_from([False] * 9 + [True]),
            st.sampled_from(["n", "n", "m"]),
            st.sampled_from(["s", "t", None]),
        ),
        min_size=12,
        max_size=60,
    )


def _spans(unit: int, *numbers: int) -> st.SearchStrategy[Duration]:
    return st.sampled_from(numbers).map(lambda number: Duration(number * unit))


def _rules(unit: int, away: bool) -> st.SearchStrategy[dict[str, object]]:
    spans = partial(_spans, unit)
    return st.fixed_dictionaries(
        {
            "absolute": spans(1, 2, 5),
            "sliding": st.none() | spans(2),
            "serve_stale": spans(0, 0, 3),
            "reload_after": st.none() | st.just("50%"),
            "overlap": st.sampled_from(["repeat", "join"]),
            "nulls": st.sampled_from(["skip", "keep", "blind"]),
            "on_write": st.sampled_from(["leave", "drop", "replace"]),
            "lifetime_from": st.sampled_from(["stored", "asked"]),
            "drop_first": st.sampled_from([False] * 5 + [True]),
            "survives_restart": st.booleans(),
            "batch": st.none() | spans(2),
            "max_entries": st.none() | st.just(1),
            "max_bytes": st.none(),
            "eviction": st.sampled_from(["lru", "fifo", "gdsf"]),
            "keep_if": st.sampled_from([None, None, f"cost >= {2 * unit}ns", f"cost < {5 * unit}ns"]),
            "when_full": st.sampled_from(["evict", "refuse"]),
            "per": st.sampled_from(["node", "all"]),
            **(_rules_of_failure(unit) if away else {"tell_nodes": st.sampled_from(["nothing", "drop"])}),
        }
    )


def _rules_of_failure(unit: int) -> dict[str, st.SearchStrategy[object]]:
    """Rules that only the full replay knows."""
    spans = partial(_spans, unit)
    return {
        "serve_on_failure": spans(0, 5, 30),
        "keep_failures": spans(0, 1, 6),
        "on_write": st.sampled_from(["leave", "drop", "replace", "replace, reload"]),
        "collect": st.sampled_from(["touch", "prompt", f"every {3 * unit}ns"]),
        "per": st.sampled_from(["node", "all", "scope"]),
        **preloads(unit),
    }


@st.composite
def bad_days(draw: st.DrawFn) -> Case:
    unit, away = draw(st.sampled_from(UNITS)), draw(st.booleans())
    trace = trace_of(draw(_rows(away)), unit)
    rules, origin = draw(_rules(unit, away)), draw(origins(unit, trace.lookups, away))
    plan = Plan(fitting(rules), warm_up=draw(st.sampled_from([0, 3])), **origin)
    return Case(trace, plan if plan.warm_up < trace.reads else Plan(plan.rules, origin=plan.origin))  # type: ignore[operator]
