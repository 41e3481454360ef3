"""What every page has: a template, its style, its scripts, and a policy that lets nothing else in."""

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
    """The text of one of the files that pages are made of."""
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
    what: Mapping[str, object],
    scripts: Sequence[str] = (),
    data: Mapping[str, object] | None = None,
    talks_to: str = "'none'",
) -> str:
    """A page made from a template, with the named `scripts`, and `data` for them by the id of the element.

    `talks_to` is what the page may talk to, in the words of a Content-Security-Policy.
    """
    texts = [script() if name == BOKEH else asset(name) for name in scripts]
    return str(
        _templates()
        .get_template(template)
        .render(
            what,
            style=Markup(style()),  # ours
            page_data={name: _harmless(one) for name, one in (data or {}).items()},
            scripts=[Markup(text) for text in texts],  # our scripts, and the plotting package's
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
    """The Content-Security-Policy. The browser may run exactly these scripts. Styles within the page are allowed
    because the plotting package makes some. Without a network, a style has nowhere to send anything.
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


def _harmless(what: object) -> Markup:
    """JSON that is safe in a page: nothing in it can end the element that holds it."""
    text = json.dumps(what, ensure_ascii=True, allow_nan=False, separators=(",", ":"))
    return Markup(text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026"))
