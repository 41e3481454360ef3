"""Wraps a user's own policy, so that an error in it names the method that failed."""

from collections.abc import Callable
from typing import Any

from vestigo.errors import RulesError
from vestigo.rules.policy import Policy, Room

METHODS = ("arriving", "placed", "hit", "left", "evict")


def guarded(make: Callable[[Room], Policy], room: Room) -> Policy:
    """The same policy, whose methods raise RulesError in place of any other error."""
    name = getattr(make, "__name__", type(make).__name__)
    policy: Policy = _watched(f"{name}()", make)(room)
    for method in METHODS:
        if not callable(getattr(policy, method, None)):
            raise RulesError(f"eviction: {name} has no method {method}(); derive it from vestigo.Policy")
        setattr(policy, method, _watched(f"{name}.{method}()", getattr(policy, method)))
    return policy


def _watched(what: str, method: Callable[..., object]) -> Callable[..., Any]:
    def call(*arguments: object) -> object:
        try:
            return method(*arguments)
        except Exception as error:
            raise RulesError(f"eviction: {what} raised {type(error).__name__}: {error}; correct the policy") from error

    return call
