"""What the trade and its standards (RFC 2308, 5861, 9111) call some rules, so that a plan which says so is refused
with the rule that does it.
"""

from collections.abc import Sequence

from vestigo.errors import unknown

_AMOUNT = "max_entries for a number of entries, or max_bytes for a size"
_RULE_FOR = {
    word: rule
    for rule, words in {
        "absolute": "ttl time_to_live lifetime max_age expiry",
        "sliding": "idle idle_time",
        _AMOUNT: "max_size size capacity limit",
        "eviction": "policy",
        "nulls": "negative_ttl",
        "serve_stale": "stale_while_revalidate",
        "serve_on_failure": "stale_if_error",
        "reload_after": "refresh",
        "preload": "prefetch",
    }.items()
    for word in words.split()
}


def unknown_rule(name: str, known: Sequence[str]) -> str:
    """A sentence which says that no rule has this name, and which rule was meant.

    >>> unknown_rule("ttl", ["absolute", "sliding"])
    "'ttl' is unknown; write absolute"
    """
    rule = _RULE_FOR.get(name.lower().replace("-", "_"))
    return unknown(name, list(known)) if rule is None else f"{name!r} is unknown; write {rule}"
