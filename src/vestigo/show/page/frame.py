"""What every page has: its template, its looks, its scripts, and a policy that lets nothing else in."""

import hashlib
import json
from base64 import b64encode
from collections.abc import Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Any

from markupsafe import Markup

from vestigo.show.page.charts import script
from vestigo.show.style import DARK, LIGHT

_ASSETS = Path(__file__).parent / "assets"
BOKEH = "bokeh"
"""Names the plotting package's script among those of a page."""


def asset(name: str) -> str:
    """The text of a file that pages are made of."""
    return (_ASSETS / name).read_text(encoding="utf-8")


@cache
def _templates() -> Any:
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    return Environment(
        loader=FileSystemLoader(_ASSETS),
        autoescape=True,
        trim_blocks=True,
        lstrip_blocks=True,
        undefined=StrictUndefined,
    )


def rendered(
    template: str,
    what: Mapping[str, Any],
    scripts: Sequence[str] = (),
    data: Mapping[str, Any] | None = None,
    talks_to: str = "'none'",
) -> str:
    """A page of a template, with the `scripts` of these names, and `data` for them by the id of its element.

    The page may talk to `talks_to`, as a policy names that.
    """
    texts = [script() if name == BOKEH else asset(name) for name in scripts]
    return str(
        _templates()
        .get_template(template)
        .render(
            what,
            style=Markup(style()),  # ours
            page_data={name: _harmless(one) for name, one in (data or {}).items()},
            scripts=[Markup(text) for text in texts],  # ours, and the plotting package's
            policy=policy(texts, talks_to),
        )
    )


def style() -> str:
    """The style sheet, with the colours of a light and of a dark screen."""
    light, dark = (" ".join(f"--{role}: {colour};" for role, colour in each.items()) for each in (LIGHT, DARK))
    on_dark = f"@media screen and (prefers-color-scheme: dark) {{ :root {{ {dark} }} }}"
    marks = " ".join(f".mark.{role} {{ color: var(--{role}); }}" for role in LIGHT)
    return f":root {{ {light} }}\n{on_dark}\n{asset('page.css')}\n{marks}"


def policy(scripts: Sequence[str], talks_to: str) -> str:
    """What the browser lets the page do: run these very scripts, and nothing else. Styles may stand in it: the
    plotting package makes some, and with no network there is nowhere that one could tell anything to.
    """
    hashes = (f"'sha256-{b64encode(hashlib.sha256(text.encode()).digest()).decode()}'" for text in scripts)
    allowed = " ".join(hashes) or "'none'"
    parts = {
        "default-src": "'none'",
        "script-src": allowed,
        "style-src": "'unsafe-inline'",
        "img-src": "data:",
        "connect-src": talks_to,
        "base-uri": "'none'",
        "form-action": "'none'",
    }
    return "; ".join(f"{name} {value}" for name, value in parts.items())


def _harmless(what: Any) -> Markup:
    """JSON that can stand in a page: nothing in it ends the element that holds it."""
    text = json.dumps(what, ensure_ascii=True, allow_nan=False, separators=(",", ":"))
    return Markup(text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026"))
