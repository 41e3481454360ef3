"""What answers the loads, and how much of it there is: ``[origin]`` in a plan."""

from collections.abc import Iterator
from typing import TYPE_CHECKING, Annotated

from pydantic import BeforeValidator

from vestigo.arguments import shown
from vestigo.rules import values
from vestigo.rules.checked import Checked
from vestigo.rules.moments import read_zone
from vestigo.rules.pool import look_up_names
from vestigo.rules.values import Entries, Span, Texts
from vestigo.rules.windows import Windows
from vestigo.units import Duration, as_python

MOST_PLACES = 1_000_000


def places(value: object) -> int | None:
    """How many calls an origin serves at a time. None means any number."""
    value = as_python(value)
    if value is None or (isinstance(value, str) and value == "no limit"):
        return None
    if isinstance(value, bool) or not isinstance(value, int) or not 1 <= value <= MOST_PLACES:
        raise ValueError(
            f'{shown(value)} is not a number of calls; write a whole number from 1 to {MOST_PLACES:,}, or "no limit"'
        )
    return value


class Origin(Checked):
    """An origin that answers so many calls at once, and has bad days. Times without an offset are those of `zone`.

    >>> Origin(at_once=20, down="2026-03-17 09:00 for 60s", give_up="2s")
    Origin(at_once=20, down='2026-03-17 09:00 for 60s', give_up='2s')
    """

    if TYPE_CHECKING:

        def __init__(  # noqa: PLR0913  # a rule each
            self,
            *,
            lookups: Texts = ...,
            at_once: Entries | None = ...,
            down: Texts | Windows = ...,
            slower: Texts | Windows = ...,
            fails_after: Span = ...,
            give_up: Span | None = ...,
            slow: Span = ...,
            zone: str = ...,
        ) -> None: ...

    lookups: Annotated[tuple[str, ...], BeforeValidator(look_up_names)] = ()
    """The look-ups that it answers; all unless stated."""
    at_once: Annotated[int | None, BeforeValidator(places)] = None
    """How many calls it serves at a time. The others wait in the order in which they came; no limit unless stated."""
    down: Annotated[Windows, BeforeValidator(Windows.down)] = Windows()
    """When it is away (``"2026-03-17 09:00 for 60s"``, ``"09:00 for 60s"`` every day). Calls in that time fail."""
    slower: Annotated[Windows, BeforeValidator(Windows.slower)] = Windows()
    """When a call takes several times as long (``"3x 2026-03-17 09:00 for 10m"``)."""
    fails_after: Annotated[Duration, BeforeValidator(values.span)] = Duration.parse("1s")
    """How long a call takes to fail while the origin is away."""
    give_up: Annotated[Duration | None, BeforeValidator(values.lifetime)] = None
    """How long a reader waits before it fails. The call goes on. A reader waits for ever unless this is stated."""
    slow: Annotated[Duration, BeforeValidator(values.span)] = Duration.parse("1s")
    """Reads that are answered later than this are counted as slow."""
    zone: Annotated[str, BeforeValidator(read_zone)] = "UTC"
    """The time zone of times without an offset, such as ``"Europe/Oslo"``."""

    def contradictions(self) -> Iterator[str]:
        if self.fails_after == 0:
            yield 'fails_after = 0s: a call that fails takes some time; write, for example, fails_after = "10ms"'

    def __bool__(self) -> bool:
        return bool(self.model_fields_set - {"lookups"})
