"""``vestigo why``: what happened to a key, and what would have helped."""

from datetime import datetime
from typing import Annotated

import typer

from vestigo.cli.options import (
    FigureOption,
    IntakeOption,
    JsonOption,
    PlanOption,
    RulesOption,
    StrictOption,
    TraceArgument,
)
from vestigo.cli.verbs import Verb


def why(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    rules: RulesOption = None,
    intake: IntakeOption = None,
    strict: StrictOption = False,
    lookup: Annotated[str | None, typer.Option("--lookup", metavar="NAME", help="The look-up of the key.")] = None,
    key: Annotated[str | None, typer.Option("--key", metavar="KEY", help="The key to explain.")] = None,
    at: Annotated[
        str | None,
        typer.Option(
            "--at", metavar="TIME", help="Explain the key's read nearest to this time: '2026-03-17 08:20:00', in UTC."
        ),
    ] = None,
    node: Annotated[str | None, typer.Option("--node", metavar="NAME", help="Only on this node.")] = None,
    figure: FigureOption = None,
    as_json: JsonOption = False,
) -> None:
    """Tell what happened to a key under today's settings, and which change of a rule would have helped it.

    Without --key: the keys where most origin time is spent and most answers are stale, with the next command for each.

    Example: vestigo why skerrow-quay.parquet --lookup vessel --key QVA586

    Example: vestigo why skerrow-quay.parquet --lookup berth --key A2 --node quay-4 --at '2026-03-17 00:35:17.837'
    """
    from vestigo.cli.asked import check_lookups, intake_options, plan_for, read, words_for
    from vestigo.cli.screen import Progress, save, show, show_json
    from vestigo.engine import key_by_key
    from vestigo.errors import InputError
    from vestigo.explaining.why.tell import why as why_of
    from vestigo.rules import Plan
    from vestigo.show.story import losses_text, story_text

    stated = plan_for(plan, rules, is_needed=True) or Plan()
    if key is None and (
        given := [name for name, value in {"--at": at, "--node": node, "--figure": figure}.items() if value]
    ):
        raise InputError(f"{given[0]} is about one key; name it with --key")
    same = words_for(trace, plan, rules, intake, strict)
    with Progress() as progress:
        read_in = read(trace, stated, intake_options(intake, strict), progress)
        check_lookups([lookup] if lookup else None, read_in)
        progress.step("replaying")
        if key is None:
            keys = key_by_key(read_in, stated)
            lookups = [lookup] if lookup else None
            if as_json:
                return show_json(keys.worst_to_dict(lookups=lookups))
            return show(losses_text(keys, ["vestigo", "why", *same], lookups))
        story = why_of(read_in, stated, lookup=lookup, key=key, at=_in_utc(at), node=node)
    if figure is not None:
        from vestigo.show.figures import story as story_figure

        save(story_figure(story), figure, "the key's story")
    return show_json(story.to_dict()) if as_json else show(story_text(story, ["vestigo", "replay", *same]))


def _in_utc(at: str | None) -> str | None:
    """The time as the library takes it. Without an offset it is in UTC, as are the times that we print."""
    try:
        return at if at is None or datetime.fromisoformat(at).tzinfo is not None else f"{datetime.fromisoformat(at)}Z"
    except ValueError:
        return at


VERB = Verb(7, "What happened to a key, and why.", why)
