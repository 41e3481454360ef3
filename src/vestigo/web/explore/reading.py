"""Pages to read beside the knobs: what each rule earns, the keys that lose most, a key's story."""

import dataclasses
from collections.abc import Mapping, Sequence
from typing import NamedTuple
from urllib.parse import urlencode

from markupsafe import Markup

from vestigo.choosing.explorer import Explorer
from vestigo.engine import key_by_key
from vestigo.errors import InputError
from vestigo.explaining.check.trials import check
from vestigo.explaining.why.tell import why
from vestigo.rules import Plan
from vestigo.show import figures
from vestigo.show.check import check_text
from vestigo.show.page.converted import converted
from vestigo.show.page.frame import rendered
from vestigo.show.page.pictures import picture
from vestigo.show.safe import printable
from vestigo.show.story import story_text
from vestigo.show.watched import keys_table

OF = ("of-lookup", "of-key")
"""What an address says besides the settings: which key it asks about."""
Query = Mapping[str, str]
"""All that an address says."""


class Link(NamedTuple):
    """Where a page leads."""

    address: str
    text: str


_WORST = {"origin_time_ns": "most origin time", "misses": "most misses", "stale_hits": "most stale hits"}
_KEYS = 10


def check_page(explorer: Explorer, plan: Plan, query: Query) -> str:
    found = check(explorer.trace, dataclasses.replace(plan, aim=explorer.plan.aim))
    return _page("What each rule earns, and likely mistakes", converted(check_text(found)), [_to_knobs(query)])


def keys_page(explorer: Explorer, plan: Plan, query: Query) -> str:
    """The keys that lose most. Each leads to its story."""
    keys = key_by_key(explorer.trace, plan)

    def story_of(key: int) -> str:
        lookup, name = keys.trace.lookups[keys.trace.key_lookup[key]], str(keys.trace.keys[key])
        return f"key?{urlencode({**settings_in(query), OF[0]: lookup, OF[1]: name})}"

    tables = [
        converted(keys_table(keys, title, worst, [story_of(key) for key in worst]))
        for loss, title in _WORST.items()
        if (worst := keys.worst(loss, _KEYS).tolist())
    ]
    return _page("The keys that lose most", Markup("").join(tables), [_to_knobs(query)])


def key_page(explorer: Explorer, plan: Plan, query: Query) -> str:
    """A key's story. Raises InputError for a key that the trace does not have."""
    story = why(explorer.trace, plan, lookup=query.get(OF[0]), key=query.get(OF[1], ""))
    name = printable(f"{story.lookup} {story.key}", 80)
    drawn = picture("story", f"the life of {name}", lambda: figures.story(story), (12.8, 4.2))
    told = Markup('<figure class="still">{}</figure>{}').format(drawn, converted(story_text(story)))
    to_keys = Link(f"keys?{urlencode(settings_in(query))}", "The keys that lose most")
    return _page(name, told, [_to_knobs(query), to_keys])


def problem_page(error: InputError, query: Query) -> str:
    said = Markup("").join(Markup("<p>{}</p>").format(one) for one in error.problems)
    return _page("Settings that cannot be used", said, [_to_knobs(query)])


def settings_in(query: Query) -> dict[str, str]:
    """The settings that an address has."""
    return {name: text for name, text in query.items() if name not in OF}


def _to_knobs(query: Query) -> Link:
    return Link(f"./#{urlencode(settings_in(query))}", "Back to the knobs")


def _page(title: str, body: Markup, leads_to: Sequence[Link]) -> str:
    return rendered("reading.html", {"title": title, "body": body, "leads_to": leads_to})
