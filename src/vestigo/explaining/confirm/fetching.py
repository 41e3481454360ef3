"""Fetches the counters of a running service, and keeps them in a file that `read_counters` reads."""

import time
import urllib.error
import urllib.request
from dataclasses import dataclass
from http.client import HTTPException, HTTPResponse
from pathlib import Path
from urllib.parse import urlsplit

from vestigo.errors import InputError
from vestigo.explaining.confirm.counters import Counters, counters_of
from vestigo.explaining.confirm.scrapes import Scrape, as_text, in_text
from vestigo.rules.counter_names import CounterNames

_MOST_SECONDS = 10.0
_MOST_BYTES = 16 * 2**20


class Away(Exception):
    """The service gave no counters, and why."""


@dataclass
class Fetching:
    """The counters of one service, scrape by scrape."""

    url: str
    names: CounterNames
    kept: Path
    """The file to which each scrape is added."""
    lost: int = 0
    """How many times there was no answer."""
    _before: Scrape | None = None
    _is_known: bool = False
    """Whether the service has shown counters."""

    def __post_init__(self) -> None:
        try:
            parts = urlsplit(self.url)
            is_usable = parts.scheme in ("http", "https") and bool(parts.hostname) and parts.port != 0
        except ValueError:
            is_usable = False
        if not is_usable:
            raise InputError(f"--scrape: {self.url!r} is no address; write it as http://127.0.0.1:9000/metrics")
        if self.kept.suffix != ".prom":
            raise InputError(f"{self.kept}: scrapes are kept as text of Prometheus; name the file .prom")

    def fetch(self) -> Counters | None:
        """The counters of the scrape before and of this one. None for the first one. Raises Away, and InputError if the
        first answers have no counters, or if a scrape cannot be kept.
        """
        text = self._text()
        try:
            scrape = self._read(text)
            counters = counters_of([self._before, scrape], self.names) if self._before is not None else None
        except InputError as error:
            if not self._is_known:
                raise
            self.lost += 1
            raise Away(f"its answer has no counters ({error})") from None
        self._is_known = counters is not None
        self._keep(scrape)
        self._before = scrape
        return counters

    def _text(self) -> str:
        try:
            with urllib.request.urlopen(self.url, timeout=_MOST_SECONDS) as answer:  # only http and https
                given = _all_of(answer)
        except (OSError, HTTPException, ValueError) as error:
            self.lost += 1
            raise Away(_reason(error)) from None
        if len(given) > _MOST_BYTES:
            raise InputError(f"{self.url}: gives more than 16 MiB; name the page that has the counters alone")
        return str(given.decode("utf-8", "replace"))

    def _read(self, text: str) -> Scrape:
        scrape = in_text(text, self.url, time.time_ns())
        return Scrape(scrape.at_ns, [one for one in scrape.samples if self._is_named(one.name)])

    def _is_named(self, metric: str) -> bool:
        stated = [getattr(self.names, counter) for counter in type(self.names).model_fields]
        return metric in type(self.names).model_fields or any(one.metric == metric for each in stated for one in each)

    def _keep(self, scrape: Scrape) -> None:
        try:
            with self.kept.open("a", encoding="utf-8") as file:
                file.write(as_text(scrape))
        except OSError as error:
            raise InputError(f"{self.kept}: cannot be written: {error.strerror or error}") from None


def _all_of(answer: HTTPResponse) -> bytes:
    """What is answered, up to one byte too many. Raises TimeoutError if it comes too slowly."""
    given, until = bytearray(), time.monotonic() + _MOST_SECONDS
    while len(given) <= _MOST_BYTES and (more := answer.read1(1 << 16)):
        given += more
        if time.monotonic() > until:
            raise TimeoutError
    return bytes(given)


def _reason(error: Exception) -> str:
    if isinstance(error, urllib.error.HTTPError):
        return f"it answers with status {error.code}"
    reason = getattr(error, "reason", None) or error
    if isinstance(reason, TimeoutError):
        return f"no answer within {_MOST_SECONDS:.0f} s"
    return str(getattr(reason, "strerror", None) or reason).lower()
