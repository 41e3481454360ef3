"""What may be wrong with a plan, before a replay has judged it."""

from typing import Literal, NamedTuple

from vestigo.rules.vary import Changes

Kind = Literal[
    "pattern that matches no key",
    "lifetime too short",
    "lifetime longer than the trace",
    "sliding without absolute",
    "lifetime longer than the data's own",
    "data that turns over on the clock",
    "schedule that sends a surge",
    "common expiry that sends a surge",
    "many readers load one key at once",
    "reloads that load more than they save",
    "single loads that could share a call",
    "a look-up that is cleared again and again",
    "hits that cost more than the origin",
    "a look-up that needs no cache",
    "limit never reached",
    "limit far below what is read",
    "values that never fit",
    "limit in entries where sizes differ",
    "policy that makes no difference",
    "policy that would do better",
    "nulls not kept",
    "nulls kept beyond the creation of things",
    "nulls kept and not believed",
    "entries dropped before they are read",
    "entries left when their key is written",
    "entries dropped where replacing costs nothing",
    "nodes that do not hear of writes",
    "a cache for each scope, where nothing repeats in one",
    "trace of fewer than three lifetimes",
    "keys that are too narrow",
    "keys that are too wide",
    "keys: used by two look-ups",
    "keys: in several spellings",
]
"""What can be wrong, in a few words."""
Judged = Literal["aim", "no worse", "surge", "calls", "shared calls", "false_nulls", "age", "nothing"]
"""What must get better by a fix, or else nothing is said: the aim; the busiest second; origin calls, by more than hits
are lost; a fifth of the look-up's origin calls; wrong "not found"; the oldest answer. ``no worse``: the aim is as good.
``nothing``: the evidence says enough."""


class Suspicion(NamedTuple):
    kind: Kind
    where: str
    """The rule, or the look-up, as a plan names it."""
    evidence: str
    fixes: tuple[Changes, ...] = ()
    """Possible changes by dotted key. The best one is taken."""
    judged: Judged = "aim"
    meant: str = ""
    """What is added to the evidence if the first fix helps. That fix is taken then, even if another one is better."""
