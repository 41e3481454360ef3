"""Pages to read beside the knobs: what each rule earns, the keys that lose most, a key's story."""

import dataclasses
from collections.abc import Mapping
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
from vestigo.show.watched import key_name, keys_table

OF = ("of-lookup", "of-key")
"""What an address says besides the settings: which key it asks about."""
Query = Mapping[str, str]
"""All that an address says."""
_WORST = {"origin_time_ns": "most origin time", "misses": "most misses", "stale_hits": "most stale hits"}
_KEYS = 10


def check_page(explorer: Explorer, plan: Plan, _: Query) -> str:
    found = check(explorer.trace, dataclasses.replace(plan, aim=explorer.plan.aim))
    return _page("What each rule earns, and likely mistakes", converted(check_text(found)))


def keys_page(explorer: Explorer, plan: Plan, query: Query) -> str:
    """The keys that lose most, each with a link to its story."""
    keys = key_by_key(explorer.trace, plan)
    parts = []
    for loss, title in _WORST.items():
        worst = keys.worst(loss, _KEYS).tolist()
        if not worst:
            continue
        links = []
        for key in worst:
            of = zip(OF, (keys.trace.lookups[keys.trace.key_lookup[key]], str(keys.trace.keys[key])), strict=True)
            links.append((f"key?{urlencode({**query, **dict(of)})}", printable(key_name(keys, key), 80)))
        parts.append({"title": title, "table": converted(keys_table(keys, title, worst)), "links": links})
    return _page("The keys that lose most", "", parts)


def key_page(explorer: Explorer, plan: Plan, query: Query) -> str:
    """A key's story. Raises InputError for a key that the trace does not have."""
    story = why(explorer.trace, plan, lookup=query.get(OF[0]), key=query.get(OF[1], ""))
    name = printable(f"{story.lookup} {story.key}", 80)
    drawn = picture("story", f"the life of {name}", lambda: figures.story(story), (12.8, 4.2))
    return _page(name, Markup('<figure class="still">{}</figure>{}').format(drawn, converted(story_text(story))))


def problem_page(error: InputError) -> str:
    return _page(
        "Settings that cannot be used",
        Markup("").join(Markup("<p>{}</p>").format(one) for one in error.problems),
    )


def _page(title: str, body: object, parts: object = ()) -> str:
    return rendered("reading.html", {"title": title, "body": body, "parts": parts})
