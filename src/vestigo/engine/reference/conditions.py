"""Whether a value passes ``keep_if``."""

from vestigo.engine.groups import Group
from vestigo.engine.reference.rows import Row
from vestigo.engine.reference.truth import Value as Truth
from vestigo.errors import RulesError
from vestigo.rules import Value
from vestigo.trace import Trace


def passes(group: Group, trace: Trace, row: Row, value: Truth) -> bool:
    """Raises RulesError if a function of the user's fails."""
    condition = group.rules.keep_if
    if condition is None:
        return True
    size, cost = row.size or 0, row.cost or 0
    if condition.own is None:
        return group.passes and condition.passes(size, cost)
    asked = Value(trace.lookups[row.lookup], str(trace.keys[row.key]), size, cost, not value.is_null)
    try:
        answer = condition.own(asked)
    except Exception as error:
        raise RulesError(
            f"keep_if: {condition} raised {type(error).__name__}: {error}, asked about {asked}; correct the function"
        ) from error
    if not isinstance(answer, bool):
        raise RulesError(f"keep_if: {condition} gave {answer!r}, asked about {asked}; give True or False")
    return answer
