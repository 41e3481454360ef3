"""What the rules of a look-up say of one value: whether it is kept, whether it answers, how long it lives."""

from vestigo.engine.reference.draw import STEP, draw_below, mix
from vestigo.engine.reference.pool import Entry
from vestigo.engine.reference.truth import Value
from vestigo.rules import Rules


def keeps(rules: Rules, value: Value) -> bool:
    return not value.is_null or rules.nulls.mode != "skip"


def hides(rules: Rules, entry: Entry) -> bool:
    """Whether the caller takes the entry for "not in the cache"."""
    return entry.value.is_null and rules.nulls.mode == "blind"


def ages_at(rules: Rules, value: Value, loaded_at: int, key: int, kept: int) -> int | None:
    """When the absolute lifetime of a value ends; `kept` is how many values of the key were kept before."""
    if value.is_null and rules.nulls.lifetime is not None:
        return loaded_at + rules.nulls.lifetime
    if rules.absolute is None:
        return None
    varies = int(rules.absolute * rules.jitter)
    return loaded_at + rules.absolute - draw_below(mix(mix(key) + kept * STEP), varies + 1)


def expiry(rules: Rules, entry: Entry, now: int) -> str | None:
    """Which lifetime ended first, if one has ended: at its deadline an entry is expired."""
    ends = []
    if entry.ages_at is not None:
        ends.append((entry.ages_at, 0, "aged"))
    if rules.sliding is not None:
        ends.append((entry.used_at + rules.sliding, 1, "idle"))
    if not ends or min(ends)[0] > now:
        return None
    return min(ends)[2]
