"""Reads settings as the page sends them: texts by dotted key, like those of a plan."""

from collections.abc import Mapping

from vestigo.choosing.best_within import TURNED
from vestigo.choosing.explorer import Explorer
from vestigo.errors import InputError
from vestigo.rules import Plan
from vestigo.rules.values import from_text

_WHAT_IF = "whatif."
_AS_RECORDED = ("as recorded", "never", "")
"""Texts of circumstances that are as they were."""
_AIM = "aim."
_NO_LIMIT = ("no limit", "")
_MOST = 500
_LONGEST = 2_000


def plan_asked(explorer: Explorer, settings: Mapping[str, str]) -> Plan:
    """The plan and circumstances that the page asks for. Raises InputError for values that mean nothing."""
    if len(settings) > _MOST or any(len(key) + len(text) > _LONGEST for key, text in settings.items()):
        raise InputError("these are more settings than a plan has; take fewer")
    changes = {key: from_text(text) for key, text in settings.items() if not key.startswith(_WHAT_IF)}
    circumstances = {
        key.removeprefix(_WHAT_IF): None if text in _AS_RECORDED else from_text(text)
        for key, text in settings.items()
        if key.startswith(_WHAT_IF)
    }
    return explorer.asked(changes, circumstances)


def limits_asked(settings: Mapping[str, str]) -> dict[str, str]:
    """The limits that the page asks for: ``{"aim.memory_peak": "16 MiB"}``. Raises InputError for what can not be
    limited by hand.
    """
    limits = {key.removeprefix(_AIM): text.strip() for key, text in settings.items()}
    if wrong := [name for name in limits if name not in TURNED]:
        raise InputError([f"{name}: is not limited on this page" for name in wrong])
    return {name: text for name, text in limits.items() if text not in _NO_LIMIT}


def problems_of(error: InputError, settings: Mapping[str, str]) -> list[dict[str, str]]:
    """Each problem with the key of its knob, if it names one."""
    problems: list[dict[str, str]] = []
    for problem in error.problems:
        where, _, said = problem.partition(": ")
        key = next((one for one in settings if one == where or one.endswith(f".{where}")), "")
        problems.append({"key": key, "text": said if key else problem})
    return problems
