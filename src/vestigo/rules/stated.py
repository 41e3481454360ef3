"""What one table of a plan states: the values of some rules. The rules that hold are worked out from several such
layers.
"""

from collections.abc import Iterator, Mapping
from typing import Any

from vestigo.rules.checked import Plain
from vestigo.rules.rules import Rules


class Stated(Mapping[str, Any]):
    """Values of rules by name, read and checked. A rule that is not named has the value from the layer below.

    >>> Stated({"absolute": "never"}).over(Rules(max_entries=5, absolute="1h"))
    Rules(max_entries=5)
    """

    def __init__(self, values: Mapping[str, object]) -> None:
        self._values = dict(values)

    @classmethod
    def by(cls, rules: "Rules | Mapping[str, object]") -> "Stated":
        """What was given when the rules were made, or what a mapping has."""
        if isinstance(rules, Rules):
            return cls({name: getattr(rules, name) for name in Rules.model_fields if name in rules.model_fields_set})
        return rules if isinstance(rules, cls) else cls(rules)

    def over(self, base: Rules) -> Rules:
        """The rules that hold: those stated here, and `base` for the others. Raises RulesError."""
        return Rules(**{**Stated.by(base), **self}) if self else base

    def read_by(self, rules: Rules) -> "Stated":
        """The same names with the values that they have in `rules`, which were made from them."""
        return Stated({name: getattr(rules, name) for name in self})

    def to_dict(self) -> dict[str, Plain]:
        """As a plan file writes it, including values that equal the defaults."""
        return {name: Rules.written(name, value) for name, value in self.items()}

    def to_kept(self) -> dict[str, Plain]:
        """What a file holds of it. Raises InputError for the user's own code."""
        return Rules.kept(self)

    def __getitem__(self, name: str) -> Any:
        return self._values[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._values)

    def __len__(self) -> int:
        return len(self._values)

    def __repr__(self) -> str:
        return f"Stated({self.to_dict()})"
