"""What to replay: rules for a look-up, and the plan that names them."""

from vestigo.rules.plan import Plan
from vestigo.rules.plan_file import read_plan
from vestigo.rules.policy import Policy, Room
from vestigo.rules.rules import Rules

__all__ = ["Plan", "Policy", "Room", "Rules", "read_plan"]
