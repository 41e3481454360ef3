"""``vestigo schema``: the plan's JSON Schema, for editors."""

from typing import Annotated

import typer

from vestigo.cli.verbs import Verb


def schema(
    _: Annotated[bool, typer.Option("--json", help="Accepted for uniformity: the output is always JSON.")] = False,
) -> None:
    """Print the JSON Schema of plan files, with the meaning of each rule. Editors use it to check and complete plans.

    Example: vestigo schema > plan.schema.json
    """
    from vestigo.cli.screen import show_json
    from vestigo.rules.schema import plan_schema

    show_json(plan_schema())


VERB = Verb(15, "The JSON Schema of plan files, for editors.", schema)
