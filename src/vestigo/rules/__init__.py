"""What to replay: the rules of a look-up, the room that look-ups share, and the plan that holds them."""

from vestigo.rules.aim import Aim, Worth
from vestigo.rules.conditions import Value
from vestigo.rules.counter_names import CounterNames
from vestigo.rules.origin import Origin
from vestigo.rules.plan import Plan
from vestigo.rules.plan_file import read_plan
from vestigo.rules.policy import Policy, Room
from vestigo.rules.pool import Pool, PoolRules
from vestigo.rules.rules import Rules
from vestigo.rules.what_if import WhatIf

__all__ = [
    "Aim",
    "CounterNames",
    "Origin",
    "Plan",
    "Policy",
    "Pool",
    "PoolRules",
    "Room",
    "Rules",
    "Value",
    "WhatIf",
    "Worth",
    "read_plan",
]
