"""The room that entries share: how much there is, and which entries are evicted."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Annotated

from pydantic import BeforeValidator

from vestigo.rules import values
from vestigo.rules.checked import Checked
from vestigo.rules.eviction import Eviction
from vestigo.rules.policy import Policy, Room
from vestigo.rules.rule import Number, Rule, always, same
from vestigo.rules.values import Entries, Size, Texts, WhenFull


def _policy(rules: "PoolRules") -> Mapping[str, Number]:
    return {"eviction": rules.eviction.name, "eviction_numbers": [*rules.room.numbers, 0, 0, 0][:3]}


def _amounts_that_stay(rules: "PoolRules") -> Mapping[str, Number]:
    when = rules.when_full
    if when.mode != "free":
        return {"refuses": when.mode == "refuse"}
    limits = {"stay_entries": rules.max_entries, "stay_bytes": rules.max_bytes}
    return {"frees": True, **{name: None if most is None else when.stay(most) for name, most in limits.items()}}


class PoolRules(Checked):
    """The rules of a pool, stated by a look-up for its own pool, or by a `Pool` for several look-ups."""

    max_entries: Annotated[
        int | None, BeforeValidator(values.limit), Rule("room", same("max_entries"), plain=always)
    ] = None
    """The most entries that are held at once; no limit unless stated."""
    max_bytes: Annotated[
        int | None, BeforeValidator(values.byte_limit), Rule("room", same("max_bytes"), plain=always)
    ] = None
    """The most bytes that are held at once, overhead included; no limit unless stated."""
    eviction: Annotated[Eviction, BeforeValidator(Eviction.read), Rule("room", _policy, plain=always)] = Eviction("lru")
    """Which entry is evicted when there is no room: the name of a policy, with parameters if they differ from the
    paper's (``"slru protected=70%"``), or a class of your own that is a `Policy`."""
    when_full: Annotated[
        WhenFull, BeforeValidator(values.when_full), Rule("room", _amounts_that_stay, plain=always)
    ] = WhenFull("evict")
    """What happens when a value does not fit: others are evicted (``"evict"``), it is not kept (``"refuse"``), or
    others are evicted until a share of the limit is free (``"free 10%"``)."""

    def contradictions(self) -> Iterator[str]:
        if self.when_full.mode != "evict" and self.max_entries is None and self.max_bytes is None:
            yield (
                f'when_full = "{self.when_full}" needs max_entries or max_bytes: there is no limit that could be '
                "reached; state one, or leave when_full out"
            )

    @property
    def room(self) -> Room:
        """The room that the policy divides."""
        return self.eviction.room(self.max_entries, self.max_bytes)


POOL_RULES = tuple(PoolRules.model_fields)


def look_up_names(value: object) -> tuple[str, ...]:
    names = (value,) if isinstance(value, str) else tuple(value) if isinstance(value, Sequence) else ()
    if not names or not all(isinstance(name, str) for name in names) or len(set(names)) < len(names):
        raise ValueError(f'{value!r} is not a list of look-ups; write, for example, ["berth", "weather"]')
    return names


class Pool(PoolRules):
    """Room that several look-ups share. Everything else each look-up decides by its own rules.

    >>> Pool(lookups=["berth", "weather"], max_bytes="32 MiB")
    Pool(max_bytes=33554432, lookups=['berth', 'weather'])
    """

    if TYPE_CHECKING:

        def __init__(  # a rule each
            self,
            *,
            lookups: Texts = ...,
            max_entries: Entries | None = ...,
            max_bytes: Size | None = ...,
            eviction: str | Eviction | Callable[[Room], Policy] = ...,
            when_full: str | WhenFull = ...,
        ) -> None: ...

    lookups: Annotated[tuple[str, ...], BeforeValidator(look_up_names)] = ()
    """The look-ups that share the room. Required."""

    def contradictions(self) -> Iterator[str]:
        if not self.lookups:
            yield 'lookups is missing; write, for example, lookups = ["berth", "weather"]'
        yield from super().contradictions()
