"""The types in which users may give the values of rules. What a rule holds in the end has a type of its own."""

from collections.abc import Sequence
from datetime import timedelta
from fractions import Fraction
from typing import SupportsIndex

Span = str | timedelta
"""``"10m"``, ``"never"``, a `timedelta`; those of NumPy and pandas are taken, too. A `Duration` is a whole number."""
Size = str | SupportsIndex
"""``"64 MiB"``, ``"no limit"``, or a number of bytes."""
Entries = str | SupportsIndex
"""A number of entries, or ``"no limit"``."""
Share = str | Fraction
"""``"10%"``."""
Texts = str | Sequence[str]
"""One text, or several."""
