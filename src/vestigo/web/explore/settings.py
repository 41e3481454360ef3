"""Reads settings as the page sends them: texts by dotted key, like those of a plan."""

from collections.abc import Mapping

from vestigo.choosing.explorer import Explorer
from vestigo.errors import InputError
from vestigo.rules import Plan
from vestigo.rules.values import from_text

_WHAT_IF = "whatif."
_AS_RECORDED = ("as recorded", "never", "")
"""Texts of circumstances that are as they were."""
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


def problems_of(error: InputError, settings: Mapping[str, str]) -> list[dict[str, str]]:
    """Each problem with the key of its knob, if it names one."""
    problems: list[dict[str, str]] = []
    for problem in error.problems:
        where, _, said = problem.partition(": ")
        key = next((one for one in settings if one == where or one.endswith(f".{where}")), "")
        problems.append({"key": key, "text": said if key else problem})
    return problems
