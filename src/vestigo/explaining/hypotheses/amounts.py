"""Other amounts of a rule: those near a stated one, those of mixed-up units, finer ones, and round ones."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from fractions import Fraction

from vestigo.explaining.hypotheses.hypothesis import Amount, Hypothesis
from vestigo.rounding import ROUND
from vestigo.rules.plan_text import rule_text
from vestigo.units import SECOND, Duration

_NEAR = tuple(
    Fraction(text)
    for text in ("19/20", "21/20", "9/10", "11/10", "3/4", "5/4", "1/2", "3/2", "1/4", "2", "1/10", "4", "10")
)
TOO_SMALL = {1000: "a thousandth of", 60: "a sixtieth of"}
_SLIPS = {Fraction(1, times): words for times, words in TOO_SMALL.items()} | {
    Fraction(60): "60 times",
    Fraction(1000): "1,000 times",
}
"""What mixed-up units make of a duration."""
ROUGHLY = tuple(map(Fraction, ("1/2", "3/4", "9/10", "11/10", "3/2", "2")))
_FARTHEST = 20
"""Times the stated amount, or parts of it: what is farther away is another slip, and not near it."""
_CLOSE = Fraction(6, 100)
"""In parts of an amount: a round one that is no farther away may be meant."""
_DIGITS = 2
"""That people write of a duration. Limits of room are told to a thousandth."""
_UNITS_NS = (86_400 * SECOND, 3600 * SECOND, 60 * SECOND, SECOND, SECOND // 1000)


def of_amount(
    rule: str, value: int, stated: int | None = None, beside: Mapping[str, object] | None = None, least: int = 1
) -> Hypothesis:
    """The rule has this amount in place of the one that is stated, `beside` other rules.

    >>> of_amount("absolute", Duration.parse("10s"), Duration.parse("10m")).what
    'absolute = 10s, a sixtieth of 10m'
    """
    what = f"{rule} = {rule_text(rule, value)}"
    if stated and isinstance(value, Duration) and (slip := _SLIPS.get(Fraction(int(value), int(stated)))):
        what = f"{what}, {slip} {rule_text(rule, stated)}"
    written = str(value) if isinstance(value, Duration) else value
    more = "".join(f" and {name} = {each}" for name, each in (beside or {}).items())
    changes = {rule: written, **(beside or {})}
    return Hypothesis(what + more, changes, Amount(value, stated, least), is_setting=True)


def multiple(value: int, factor: Fraction) -> int:
    """A multiple of an amount, at least 1, of the same type."""
    amount = max(int(value * factor), 1)
    return Duration(amount) if isinstance(value, Duration) else amount


def near(stated: int, factors: Sequence[Fraction] = _NEAR) -> list[int]:
    """Amounts near a stated one, and those that mixed-up units make of a duration.

    >>> near(20)[:4], near(20)[-2:]
    ([19, 21, 18, 22], [80, 200])
    """
    factors = (*factors, *_SLIPS) if isinstance(stated, Duration) else factors
    one_off = () if isinstance(stated, Duration) else (stated - 1, stated + 1)
    amounts = dict.fromkeys([*one_off, *(multiple(stated, one) for one in factors)])
    return [amount for amount in amounts if 0 < amount != stated]


def resolution(amount: int) -> int:
    """How exactly an amount is told."""
    if isinstance(amount, Duration):
        return max(int(10 ** (len(str(int(amount))) - _DIGITS)), 1)
    return max(amount // 1000, 1)


def with_amount(hypothesis: Hypothesis, value: int) -> Hypothesis | None:
    """The same with another amount, or None for one that nobody would mix up with the stated one."""
    assert hypothesis.amount is not None
    (rule, _), *beside = hypothesis.rules.items()
    stated, least = hypothesis.amount.stated, hypothesis.amount.least
    if isinstance(hypothesis.amount.value, Duration):
        value = Duration(round(int(value), _DIGITS - len(str(int(value)))))
    if value < least or (stated is not None and not stated / _FARTHEST <= value <= stated * _FARTHEST):
        return None
    return replace(of_amount(rule, value, stated, dict(beside), least), keys=hypothesis.keys)


def rounder(amount: int) -> Iterator[int]:
    """The round amounts that are close to one: those that people write.

    >>> [str(one) for one in rounder(Duration.parse("9m 50s"))]
    ['10m']
    """
    units = _UNITS_NS if isinstance(amount, Duration) else (10**power for power in range(9, -1, -1))
    for unit in units:
        value = round(Fraction(int(amount), unit)) * unit
        if value > 0 and value != amount and abs(value - amount) <= _CLOSE * amount:
            yield Duration(value) if isinstance(amount, Duration) else value


def spread(rule: str, span_ns: int) -> Iterator[Hypothesis]:
    """Round durations of every magnitude, for a rule that states none, on a trace of this length."""
    least = span_ns // 1000
    yield from (of_amount(rule, one, least=least) for one in ROUND[::3] if least < one < span_ns)
