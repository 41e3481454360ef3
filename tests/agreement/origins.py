"""Random origins: with few places, away for a while, or slow."""

from fractions import Fraction

from hypothesis import strategies as st

from vestigo.rules.origin import Origin
from vestigo.rules.windows import Window, Windows
from vestigo.units import Duration

START = 1_700_000_000 * 10**9
"""When random traces begin."""

_none = st.none()


def origins(unit: int, lookups: tuple[str, ...], away: bool = True) -> st.SearchStrategy[dict[str, object]]:
    """An origin for all look-ups, and one for some of them. A third of the time there is none. Some may be `away`."""

    def windows(slower: bool) -> st.SearchStrategy[Windows]:
        window = st.tuples(st.integers(-2, 40), st.sampled_from([1, 3, 8, 30]), st.sampled_from([1, 2, 3, 8]))
        return st.lists(window, max_size=3).map(
            lambda drawn: Windows(
                ("drawn",) * len(drawn),
                tuple(
                    Window(
                        START + begins * unit, Duration(span * unit), Fraction(2 * times - 1, times if slower else 1)
                    )
                    for begins, span, times in drawn
                ),
            )
        )

    origin = st.fixed_dictionaries(
        {
            "at_once": _none | st.integers(1, 3) | st.just(1),
            "down": windows(False) if away else st.just(Windows((), ())),
            "slower": windows(True),
            "fails_after": st.sampled_from([1, 2, 5]).map(lambda n: Duration(n * unit)),
            "give_up": _none | st.sampled_from([1, 3, 10]).map(lambda n: Duration(n * unit)),
            "slow": st.sampled_from([0, 1, 3]).map(lambda n: Duration(n * unit)),
        }
    )
    named = st.lists(st.sampled_from(lookups), min_size=1, unique=True) if lookups else st.nothing()
    some = st.fixed_dictionaries({"origin": origin, "origins": st.just({})})
    apart = st.tuples(origin, named).map(lambda drawn: {"apart": Origin(lookups=drawn[1], **drawn[0])})
    return st.just({}) | some | (st.fixed_dictionaries({"origins": apart}) if lookups else some)
