"""How one look-up is cached."""

from collections.abc import Iterator
from fractions import Fraction
from typing import Annotated, Literal

from pydantic import BeforeValidator

from vestigo.rules import values
from vestigo.rules.conditions import KeepIf, is_one_key, patterns
from vestigo.rules.moments import Moments, read_zone
from vestigo.rules.pool import PoolRules
from vestigo.rules.values import Collect, Nulls
from vestigo.units import Duration

Lifetime = Annotated[Duration | None, BeforeValidator(values.lifetime)]
Span = Annotated[Duration, BeforeValidator(values.span)]
Flag = Annotated[bool, BeforeValidator(values.flag)]
Bytes = Annotated[int, BeforeValidator(values.parse_bytes)]
OnTheClock = Annotated[Moments | None, BeforeValidator(Moments.read)]


class Rules(PoolRules):
    """How one look-up is cached. Immutable; checked when it is made.

    Durations are text with a unit, or ``"never"``; sizes are text with a unit, or a number of bytes; shares are text
    with ``%``. Raises RulesError, which names every wrong rule.

    >>> Rules(max_entries=500, absolute="1h", nulls="keep 30s", on_write="drop")
    Rules(max_entries=500, absolute='1h', nulls='keep 30s', on_write='drop')
    """

    # How long an entry lives

    absolute: Lifetime = None
    """How long an entry lives after its load; None is for ever."""
    absolute_at: OnTheClock = None
    """When what was loaded before expires: times of day in `zone`, or single instants."""
    zone: Annotated[str | None, BeforeValidator(read_zone)] = None
    """Where times of day are told, such as ``"Europe/Oslo"``."""
    sliding: Lifetime = None
    """How long an entry lives after its last hit, or its load; None is for ever."""
    jitter: Annotated[Fraction, BeforeValidator(values.share)] = Fraction(0)
    """The share of `absolute` by which a load's own lifetime may fall short, drawn for each load."""
    refresh_ahead: Annotated[Fraction | None, BeforeValidator(values.refresh_ahead)] = None
    """The share of an absolute lifetime after which a hit starts a reload in the background."""
    serve_stale: Span = Duration(0)
    """How long past its expiry an entry is still served, while a reload runs in the background."""
    collect: Annotated[Collect, BeforeValidator(values.collect)] = Collect("touch")
    """When an expired entry goes: when it is touched or evicted, at its deadline (``"prompt"``), or at the next of
    equal steps from the trace's first event on (``"every 30s"``)."""

    # What is kept

    nulls: Annotated[Nulls, BeforeValidator(values.nulls)] = Nulls("skip")
    """What happens when the origin has nothing."""
    keep_if: Annotated[KeepIf | None, BeforeValidator(KeepIf.read)] = None
    """Which values are kept: conditions that must all hold (``["size <= 64 KiB", "cost >= 5ms", "key = tile/{...}"]``),
    or, on the reference engine, a function from a `Value` to a bool."""
    pin: Annotated[tuple[str, ...], BeforeValidator(patterns)] = ()
    """Patterns of keys that eviction never takes."""

    # Changes

    on_write: Literal["leave", "drop", "replace", "replace, reload"] = "leave"
    """What happens to an entry when its key is written; with ``reload``, replacing takes an origin call."""

    # Whose cache

    per: Literal["node", "all", "scope"] = "node"
    """Who has a cache of their own: each node that the trace names, all rows together, or each scope."""
    tell_nodes: Literal["nothing", "drop", "copy"] = "nothing"
    """What a write on one node does to the entries of the others."""
    tell_delay: Span = Duration(0)
    """How long the others take to hear of it."""

    # The origin

    overlap: Literal["repeat", "join"] = "repeat"
    """Whether readers of a key that is being loaded load it too, or wait for it."""
    batch: Lifetime = None
    """The window in which misses of one scope share one origin call; None is no sharing."""
    drop_first: Flag = False
    """Whether callers remove an entry before they read it: a known mistake, to show what it costs."""

    # Bad moments

    clear_every: Lifetime = None
    """How often the look-up is cleared, from the trace's first event on."""
    clear_at: OnTheClock = None
    """When the look-up is cleared: times of day in `zone`, or single instants."""
    survives_restart: Flag = False
    """Whether entries are still there after a restart."""

    # What things take

    entry_overhead: Bytes = 64
    """Bytes that each entry takes besides its value."""
    hit_cost: Span = Duration(1_000)
    """How long a hit takes."""
    hit_cost_per_kib: Span = Duration(0)
    """How much longer for each KiB of the value."""
    assume_size: Bytes = 1024
    """The bytes of a value where the trace gives none in the whole look-up."""
    assume_cost: Span = Duration(0)
    """How long a load takes where the trace gives no cost in the whole look-up."""

    def contradictions(self) -> Iterator[str]:
        yield from super().contradictions()
        yield from (problem for wrong, problem in self._pairs() if wrong)

    def _pairs(self) -> list[tuple[bool, str]]:
        pinned = {key for key in self.pin if is_one_key(key)}
        on_clock = [name for name in ("absolute_at", "clear_at") if (at := getattr(self, name)) and at.times]
        return [
            (
                self.max_bytes is not None and self.max_bytes < self.entry_overhead,
                f"max_bytes = {self.max_bytes} is less than entry_overhead = {self.entry_overhead}, so that nothing "
                "could ever be kept; raise the one or lower the other",
            ),
            (
                self.max_entries is not None and len(pinned) > self.max_entries,
                f"pin holds {len(pinned)} keys and max_entries = {self.max_entries} has no room for them; raise the "
                "one or shorten the other",
            ),
            (
                self.entry_overhead > 2**28,
                f"entry_overhead = {self.entry_overhead} is more than 256 MiB; give the bytes of one entry",
            ),
            (
                bool(self.jitter) and self.absolute is None,
                "jitter without absolute means nothing: there is no lifetime to vary; give one, or leave it out",
            ),
            (
                self.refresh_ahead is not None and self.absolute is None,
                "refresh_ahead without absolute means nothing: it is a share of that lifetime; give one, or leave it "
                "out",
            ),
            (
                self.serve_stale > 0 and not self.expires,
                "serve_stale without absolute, absolute_at or sliding means nothing: no entry expires; give one, or "
                "leave it out",
            ),
            (
                self.collect.mode != "touch" and not self.expires,
                f'collect = "{self.collect}" without absolute, absolute_at or sliding means nothing: no entry expires; '
                "give one, or leave it out",
            ),
            (
                bool(on_clock) and self.zone is None,
                f'{" and ".join(on_clock)} needs zone for times of day; write zone = "UTC" or where the clock hangs',
            ),
            (
                self.tell_nodes != "nothing" and self.per != "node",
                f'tell_nodes = "{self.tell_nodes}" with per = "{self.per}" means nothing: there are no other nodes\' '
                'entries; write per = "node", or leave it out',
            ),
            (
                self.tell_delay > 0 and self.tell_nodes == "nothing",
                "tell_delay without tell_nodes means nothing: the others hear of no write; give it, or leave it out",
            ),
            (
                self.eviction.name == "belady" and self.on_write == "drop",
                'eviction = "belady" with on_write = "drop" means nothing: it keeps a key for its next read, and a '
                "write takes it before; choose another policy, or leave or replace",
            ),
            (
                self.eviction.name == "belady" and self.tell_nodes != "nothing",
                f'eviction = "belady" with tell_nodes = "{self.tell_nodes}" means nothing: it keeps a key for its next '
                "read, and another node's write changes that; choose another policy",
            ),
        ]

    @property
    def expires(self) -> bool:
        """Whether entries have any lifetime."""
        return bool(self.absolute or self.absolute_at or self.sliding or self.nulls.lifetime)
