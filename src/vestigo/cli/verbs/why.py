"""``vestigo why``: what happened to a key, and what would have helped."""

from datetime import datetime
from typing import Annotated

import typer

from vestigo.cli.call import SETTINGS, Call, asks
from vestigo.cli.verbs import Verb


@asks(*SETTINGS, ..., "figure", "as_json")
def why(
    call: Call,
    lookup: Annotated[str | None, typer.Option("--lookup", metavar="NAME", help="The look-up of the key.")] = None,
    key: Annotated[str | None, typer.Option("--key", metavar="KEY", help="The key to explain.")] = None,
    at: Annotated[
        str | None,
        typer.Option(
            "--at", metavar="TIME", help="Explain the key's read nearest to this time: '2026-03-17 08:20:00', in UTC."
        ),
    ] = None,
    node: Annotated[str | None, typer.Option("--node", metavar="NAME", help="Only on this node.")] = None,
) -> None:
    """Tell what happened to a key under today's settings, and which change of a rule would have helped it.

    Without --key: the keys where most origin time is spent and most answers are stale, with the next command for each.

    Example: vestigo why skerrow-quay.parquet --lookup vessel --key QVA586

    Example: vestigo why skerrow-quay.parquet --lookup berth --key A2 --node quay-4 --at '2026-03-17 00:35:17.837'
    """
    from vestigo.cli.call import check_lookups
    from vestigo.cli.screen import Progress, save
    from vestigo.engine import key_by_key
    from vestigo.errors import InputError
    from vestigo.explaining.why.tell import why as why_of
    from vestigo.show.story import losses_text, story_text

    plan = call.settings
    if key is None and (
        given := [name for name, value in {"--at": at, "--node": node, "--figure": call.figure}.items() if value]
    ):
        raise InputError(f"{given[0]} is about one key; name it with --key")
    with Progress() as progress:
        trace = call.read(progress)
        lookups = [lookup] if lookup else None
        check_lookups(lookups, trace)
        progress.step("replaying")
        if key is None:
            keys = key_by_key(trace, plan)
            found = keys.worst_to_dict(lookups=lookups) if call.as_json else keys
            return call.answer(found, lambda keys: losses_text(keys, ["vestigo", "why", *call.words], lookups))
        story = why_of(trace, plan, lookup=lookup, key=key, at=_in_utc(at), node=node)
    if call.figure is not None:
        from vestigo.show.figures import story as story_figure

        save(story_figure(story), call.figure, "the key's story")
    return call.answer(story, lambda story: story_text(story, ["vestigo", "replay", *call.words]))


def _in_utc(at: str | None) -> str | None:
    """The time as the library takes it. Without an offset it is in UTC, as are the times that we print."""
    try:
        return at if at is None or datetime.fromisoformat(at).tzinfo is not None else f"{datetime.fromisoformat(at)}Z"
    except ValueError:
        return at


VERB = Verb(7, "What happened to a key, and why.", why)
