"""Mistakes with keys: patterns that match none, and what the survey found in the keys."""

from collections.abc import Iterator, Mapping

from vestigo.describing.findings import NARROW, SHARED, SPELLINGS, WIDE
from vestigo.explaining.check.facts import OfLookup
from vestigo.explaining.check.mistakes.suspicion import Kind, Suspicion
from vestigo.trace.reading.pattern import Pattern


def match_nothing(of: OfLookup) -> Iterator[Suspicion]:
    """A pattern of keys matches none of the keys in the trace."""
    rules = of.rules
    pins = [one for one in rules.pin if not _matches(of, one)]
    if pins:
        yield Suspicion(
            "pattern that matches no key",
            of.key("pin"),
            f"pin = {', '.join(pins)} matches no key of {of.name}",
            ({of.key("pin"): [one for one in rules.pin if one not in pins]},),
            judged="nothing",
        )
    conditions = rules.keep_if.keys if rules.keep_if is not None else ()
    for pattern, _ in conditions:
        if not _matches(of, pattern):
            yield Suspicion(
                "pattern that matches no key",
                of.key("keep_if"),
                f"keep_if names keys {pattern}, and no key of {of.name} is one",
                judged="nothing",
            )
    for pattern in of.facts.plan.keys.get(of.name, {}):
        if not _matches(of, pattern):
            yield Suspicion(
                "pattern that matches no key",
                f"lookup.{of.name}.keys",
                f"keys.{pattern} matches no key of {of.name}",
                judged="nothing",
            )


def _matches(of: OfLookup, pattern: str) -> bool:
    return bool(Pattern.parse("", pattern).keys(of.key_texts)[0].any())


_AND_SO: Mapping[str, tuple[Kind, str]] = {
    NARROW: ("keys that are too narrow", "entries that are never read again fill its room"),
    WIDE: ("keys that are too wide", "whatever comes first is given to all who ask for the others"),
    SHARED: ("keys: used by two look-ups", "each look-up keeps its own, so check that the cache does, too"),
    SPELLINGS: ("keys: in several spellings", "each spelling is loaded and kept for itself"),
}
"""By the kind of a finding, what the mistake is called, and what follows."""


def as_surveyed(of: OfLookup) -> Iterator[Suspicion]:
    """A look-up is cached by keys that the survey has doubts about."""
    for finding in of.facts.survey.findings:
        if finding.lookup == of.name and of.counts.entries_peak:
            kind, and_so = _AND_SO[finding.kind]
            yield Suspicion(kind, f"lookup.{of.name}", f"{finding.sentence}; {and_so}", judged="nothing")


ALL = (match_nothing, as_surveyed)
