"""How one look-up is cached."""

from collections.abc import Callable, Iterator, Mapping
from fractions import Fraction
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import BeforeValidator

from vestigo.rules import values
from vestigo.rules.conditions import KeepIf, Value, is_one_key, patterns
from vestigo.rules.eviction import Eviction
from vestigo.rules.moments import Moments, read_zone
from vestigo.rules.policy import Policy, Room
from vestigo.rules.pool import PoolRules
from vestigo.rules.preload import Preload, read_cost
from vestigo.rules.rule import Number, Rule, always, same
from vestigo.rules.values import Collect, Entries, Nulls, Share, Size, Span, Texts, WhenFull
from vestigo.units import Duration

_Numbers = Mapping[str, Number]
_IN_GROUPS = "engine/groups.py"
_IN_PRELOADS = "engine/preloads.py"


def _lifetimes_of_nulls(rules: "Rules") -> _Numbers:
    return {"nulls": rules.nulls.mode, "null_lifetime": rules.nulls.lifetime or rules.absolute}


def _jitters(rules: "Rules") -> _Numbers:
    most = int(rules.absolute * rules.jitter) if rules.absolute is not None else 0
    return {"jitter": most, "null_jitter": 0 if rules.nulls.lifetime else most}


def _share_of_reload(rules: "Rules") -> _Numbers:
    share = rules.reload_after
    return {} if share is None else {"reload_of": share.numerator, "reload_to": share.denominator}


def _bounds_of_kept(rules: "Rules") -> _Numbers:
    names = ("least_size", "most_size", "least_cost", "most_cost")
    return {} if rules.keep_if is None else {name: getattr(rules.keep_if, name) for name in names}


class Rules(PoolRules):
    """How one look-up is cached. Rules are immutable, and checked when they are made.

    Durations are text with a unit, or ``"never"``. Sizes are text with a unit, or a number of bytes. Shares are text
    with ``%``. Raises RulesError, which names every wrong rule.

    >>> Rules(max_entries=500, absolute="1h", nulls="keep 30s", on_write="drop")
    Rules(max_entries=500, absolute='1h', nulls='keep 30s', on_write='drop')
    """

    if TYPE_CHECKING:

        def __init__(  # noqa: PLR0913  # a rule each
            self,
            *,
            max_entries: Entries | None = ...,
            max_bytes: Size | None = ...,
            eviction: str | Eviction | Callable[[Room], Policy] = ...,
            when_full: str | WhenFull = ...,
            absolute: Span | int | None = ...,
            lifetime_from: Literal["stored", "asked"] = ...,
            absolute_at: Texts | Moments | None = ...,
            zone: str | None = ...,
            sliding: Span | int | None = ...,
            jitter: Share = ...,
            reload_after: Share | None = ...,
            serve_stale: Span | int = ...,
            collect: str | Collect = ...,
            nulls: str | Nulls = ...,
            keep_if: Texts | KeepIf | Callable[[Value], bool] | None = ...,
            pin: Texts = ...,
            on_write: Literal["leave", "drop", "replace", "replace, reload"] = ...,
            per: Literal["node", "all", "scope"] = ...,
            tell_nodes: Literal["nothing", "drop", "copy"] = ...,
            tell_delay: Span | int = ...,
            overlap: Literal["repeat", "join"] = ...,
            batch: Span | int | None = ...,
            preload: Texts | Preload | None = ...,
            preload_cost: Span | int | None = ...,
            serve_on_failure: Span | int = ...,
            keep_failures: Span | int = ...,
            drop_first: bool = ...,
            clear_every: Span | int | None = ...,
            clear_at: Texts | Moments | None = ...,
            survives_restart: bool = ...,
            entry_overhead: Size = ...,
            hit_cost: Span | int = ...,
            hit_cost_per_kib: Span | int = ...,
            assume_size: Size = ...,
            assume_cost: Span | int = ...,
        ) -> None: ...

    absolute: Annotated[
        Duration | None, BeforeValidator(values.lifetime), Rule("lifetimes", same("absolute"), plain=always)
    ] = None
    """How long an entry lives after it was stored (see `lifetime_from`); for ever unless stated."""
    lifetime_from: Annotated[Literal["stored", "asked"], Rule("lifetimes", same("lifetime_from"), plain=always)] = (
        "stored"
    )
    """When the lifetimes of a value begin: when it comes into the cache, at the end of its load (``"stored"``), or when
    its load began (``"asked"``)."""
    absolute_at: Annotated[Moments | None, BeforeValidator(Moments.read), Rule("lifetimes", worked_out=_IN_GROUPS)] = (
        None
    )
    """Times of day in `zone`, or single instants, at which everything expires that was stored before
    (see `lifetime_from`)."""
    zone: Annotated[str | None, BeforeValidator(read_zone), Rule("lifetimes", worked_out=_IN_GROUPS, plain=always)] = (
        None
    )
    """The time zone of times of day, such as ``"Europe/Oslo"``."""
    sliding: Annotated[
        Duration | None, BeforeValidator(values.lifetime), Rule("lifetimes", same("sliding"), plain=always)
    ] = None
    """How long an entry lives after its last hit, or after it was stored; for ever unless stated."""
    jitter: Annotated[Fraction, BeforeValidator(values.share), Rule("lifetimes", _jitters, plain=always)] = Fraction(0)
    """The share of `absolute` by which a lifetime may be shorter, drawn at random for each load."""
    reload_after: Annotated[
        Fraction | None, BeforeValidator(values.reload_after), Rule("lifetimes", _share_of_reload, plain=always)
    ] = None
    """The share of the absolute lifetime after which a hit starts a reload in the background."""
    serve_stale: Annotated[
        Duration, BeforeValidator(values.span), Rule("lifetimes", same("serve_stale"), plain=always)
    ] = Duration(0)
    """How long after its expiry an entry is still served, while a reload runs in the background."""
    collect: Annotated[
        Collect,
        BeforeValidator(values.collect),
        Rule("lifetimes", lambda rules: {"collect": rules.collect.mode, "collect_every": rules.collect.every}),
    ] = Collect("touch")
    """When an expired entry leaves memory: when it is touched or evicted (``"touch"``), at its deadline (``"prompt"``),
    or at regular steps from the trace's first event on (``"every 30s"``)."""

    nulls: Annotated[Nulls, BeforeValidator(values.nulls), Rule("what is kept", _lifetimes_of_nulls, plain=always)] = (
        Nulls("skip")
    )
    """What happens when the origin has nothing: the answer is not kept (``"skip"``), kept (``"keep"``), kept for a time
    (``"keep 30s"``), or stored but read as misses (``"blind"``)."""
    keep_if: Annotated[
        KeepIf | None, BeforeValidator(KeepIf.read), Rule("what is kept", _bounds_of_kept, plain=always)
    ] = None
    """Conditions that a value must meet to be kept, all of them
    (``["size <= 64 KiB", "cost >= 5ms", "key = tile/{...}"]``); with ``"none"`` nothing is kept, so the look-up is not
    cached; on the reference engine also a function from a `Value` to a bool."""
    pin: Annotated[tuple[str, ...], BeforeValidator(patterns), Rule("what is kept", worked_out=_IN_GROUPS)] = ()
    """Patterns of keys that eviction never takes."""

    on_write: Annotated[
        Literal["leave", "drop", "replace", "replace, reload"],
        Rule(
            "changes",
            lambda rules: {"on_write": rules.on_write.split(",")[0], "reloads": "reload" in rules.on_write},
            plain=lambda value: value != "replace, reload",
        ),
    ] = "leave"
    """What a write does to the entry of its key. With ``reload``, fetching the new value takes an origin call."""

    per: Annotated[
        Literal["node", "all", "scope"],
        Rule("whose cache", worked_out=_IN_GROUPS, plain=lambda value: value != "scope"),
    ] = "node"
    """Who has a cache of its own: each node that the trace names, all rows together, or each scope."""
    tell_nodes: Annotated[
        Literal["nothing", "drop", "copy"],
        Rule("whose cache", same("tell_nodes"), plain=lambda value: value != "copy"),
    ] = "nothing"
    """What a write on one node does to the entries of the other nodes."""
    tell_delay: Annotated[Duration, BeforeValidator(values.span), Rule("whose cache", same("tell_delay"))] = Duration(0)
    """How long the other nodes take to hear of a write."""

    overlap: Annotated[Literal["repeat", "join"], Rule("origin", same("overlap"), plain=always)] = "repeat"
    """Whether readers of a key that is being loaded load it too, or wait for that load."""
    batch: Annotated[Duration | None, BeforeValidator(values.lifetime), Rule("origin", same("batch"), plain=always)] = (
        None
    )
    """The time within which misses of one scope share one origin call; none is shared unless stated."""
    preload: Annotated[
        Preload | None, BeforeValidator(Preload.read), Rule("origin", worked_out=_IN_PRELOADS, plain=always)
    ] = None
    """When all keys of the look-up are loaded ahead of reads, in one origin call: at the start and after each restart
    (``"start"``), at times of day in `zone`, or at single instants."""
    preload_cost: Annotated[
        Duration | None, BeforeValidator(read_cost), Rule("origin", worked_out=_IN_PRELOADS, plain=always)
    ] = None
    """How long that call takes; as long as the longest load of the look-up (``"longest"``) unless stated."""
    serve_on_failure: Annotated[
        Duration, BeforeValidator(values.span), Rule("origin", same("serve_on_failure"), plain=always)
    ] = Duration(0)
    """How long after its expiry an entry is still given to a reader that would fail (``[origin]`` says when). This is
    stale-if-error of RFC 5861."""
    keep_failures: Annotated[
        Duration, BeforeValidator(values.span), Rule("origin", same("keep_failures"), plain=always)
    ] = Duration(0)
    """How long a failure is kept, so that readers of the key fail at once in place of waiting for their own load."""
    drop_first: Annotated[bool, BeforeValidator(values.flag), Rule("origin", same("drop_first"), plain=always)] = False
    """Whether callers remove an entry before they read it. This is a known mistake, to show what it costs."""

    clear_every: Annotated[
        Duration | None,
        BeforeValidator(values.lifetime),
        Rule("bad moments", worked_out=_IN_GROUPS, plain=always),
    ] = None
    """How often the look-up is cleared, from the trace's first event on."""
    clear_at: Annotated[
        Moments | None, BeforeValidator(Moments.read), Rule("bad moments", worked_out=_IN_GROUPS, plain=always)
    ] = None
    """When the look-up is cleared: times of day in `zone`, or single instants."""
    survives_restart: Annotated[
        bool, BeforeValidator(values.flag), Rule("bad moments", same("survives_restart"), plain=always)
    ] = False
    """Whether entries are still there after a restart."""

    entry_overhead: Annotated[
        int, BeforeValidator(values.parse_bytes), Rule("what things take", same("entry_overhead"), plain=always)
    ] = 64
    """Bytes that each entry takes besides its value."""
    hit_cost: Annotated[
        Duration, BeforeValidator(values.span), Rule("what things take", same("hit_cost"), plain=always)
    ] = Duration(1_000)
    """How long a hit takes."""
    hit_cost_per_kib: Annotated[
        Duration, BeforeValidator(values.span), Rule("what things take", same("hit_cost_per_kib"), plain=always)
    ] = Duration(0)
    """How much longer for each KiB of the value."""
    assume_size: Annotated[
        int,
        BeforeValidator(values.parse_bytes),
        Rule("what things take", worked_out="prepared/fill.py", plain=always),
    ] = 1024
    """The size of a value, where the trace gives none in the whole look-up."""
    assume_cost: Annotated[
        Duration, BeforeValidator(values.span), Rule("what things take", worked_out="prepared/fill.py", plain=always)
    ] = Duration(0)
    """How long a load takes, where the trace gives no cost in the whole look-up."""

    def contradictions(self) -> Iterator[str]:
        yield from super().contradictions()
        yield from (problem for wrong, problem in self._pairs() if wrong)

    def _pairs(self) -> list[tuple[bool, str]]:
        pinned = {key for key in self.pin if is_one_key(key)}
        preload = self.preload.moments if self.preload else None
        moments = {"absolute_at": self.absolute_at, "clear_at": self.clear_at, "preload": preload}
        on_clock = [name for name, stated in moments.items() if stated and stated.times]
        return [
            (
                self.max_bytes is not None and self.max_bytes < self.entry_overhead,
                f"max_bytes = {self.max_bytes} is less than entry_overhead = {self.entry_overhead}, so that nothing "
                "could ever be kept; raise the first or lower the second",
            ),
            (
                self.max_entries is not None and len(pinned) > self.max_entries,
                f"pin holds {len(pinned)} keys and max_entries = {self.max_entries} has no room for them; raise the "
                "limit or pin fewer keys",
            ),
            (
                self.entry_overhead > 2**28,
                f"entry_overhead = {self.entry_overhead} is more than 256 MiB; give the bytes of one entry",
            ),
            (
                bool(self.jitter) and self.absolute is None,
                "jitter needs absolute: there is no lifetime to vary; state absolute, or leave jitter out",
            ),
            (
                self.reload_after is not None and self.absolute is None,
                "reload_after needs absolute: it is a share of that lifetime; state absolute, or leave reload_after "
                "out",
            ),
            (
                self.serve_stale > 0 and not self.expires,
                "serve_stale needs absolute, absolute_at or sliding: no entry expires; state one, or leave serve_stale "
                "out",
            ),
            (
                self.serve_on_failure > 0 and not self.expires,
                "serve_on_failure needs absolute, absolute_at or sliding: no entry expires; state one, or leave "
                "serve_on_failure out",
            ),
            (
                self.collect.mode != "touch" and not self.expires,
                f'collect = "{self.collect}" needs absolute, absolute_at or sliding: no entry expires; state one, or '
                "leave collect out",
            ),
            (
                bool(on_clock) and self.zone is None,
                f'{" and ".join(on_clock)} needs zone for times of day; write zone = "UTC" or the zone of these times',
            ),
            (
                self.tell_nodes != "nothing" and self.per != "node",
                f'tell_nodes = "{self.tell_nodes}" needs per = "node": with per = "{self.per}" no other node has '
                'entries; write per = "node", or leave tell_nodes out',
            ),
            (
                self.tell_delay > 0 and self.tell_nodes == "nothing",
                "tell_delay needs tell_nodes: the others hear of no write; state tell_nodes, or leave tell_delay out",
            ),
            (
                self.preload is not None and self.per == "scope",
                'preload needs per = "node" or "all": the cache of a scope begins with its first read; write one of '
                "them, or leave preload out",
            ),
            (
                self.preload_cost is not None and self.preload is None,
                'preload_cost needs preload: nothing is loaded ahead; write preload = "start", or leave preload_cost '
                "out",
            ),
            (
                self.eviction.name == "belady" and self.on_write == "drop",
                'eviction = "belady" and on_write = "drop" contradict each other: it keeps a key for its next read, '
                "and a write takes it before; choose another policy, or leave or replace",
            ),
            (
                self.eviction.name == "belady" and self.tell_nodes != "nothing",
                f'eviction = "belady" and tell_nodes = "{self.tell_nodes}" contradict each other: it keeps a key for '
                "its next read, and another node's write changes that; choose another policy",
            ),
        ]

    @property
    def expires(self) -> bool:
        """Whether entries have any lifetime."""
        return bool(self.absolute or self.absolute_at or self.sliding or self.nulls.lifetime)
