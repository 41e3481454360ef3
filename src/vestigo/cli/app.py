"""``vestigo VERB``: finds the verb, runs it, and turns errors into one sentence and an exit status."""

import os
import sys

import typer

from vestigo.cli import convert, curve, demo, replay, survey, sweep
from vestigo.errors import InputError, Interrupted

WRONG_INPUT = 2
INTERRUPTED = 130

app = typer.Typer(
    help="Replays recorded reads against in-process cache settings, and shows what each would have given.",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)
app.command("demo", short_help="Write the demo data, and go the whole way on it.")(demo.demo)
app.command("survey", short_help="What is in a trace, and what is worth a cache.")(survey.survey)
app.command("replay", short_help="What a plan's settings would have given.")(replay.replay)
app.command("curve", short_help="The hit rate at every size, exact.")(curve.curve)
app.command("sweep", short_help="Every combination of what varies; which no other beats.")(sweep.sweep)
app.command("choose", short_help="Which settings to take, and why.")(sweep.choose)
app.command("convert", short_help="Write a trace in another format, or a part of it.")(convert.convert)


@app.callback()
def _verbs() -> None:
    """Every verb has a --help of its own, with an example."""


def main() -> None:
    try:
        try:
            app()
        finally:
            sys.stdout.flush()
    except InputError as error:
        from vestigo.show.safe import printable

        for problem in error.problems:
            print(f"vestigo: {printable(problem, most=1000)}", file=sys.stderr)
        raise SystemExit(WRONG_INPUT) from None
    except Interrupted as error:
        print(f"vestigo: {error}", file=sys.stderr)
        raise SystemExit(INTERRUPTED) from None
    except BrokenPipeError:  # the reader of our output has seen enough; nothing more may be written to it
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        raise SystemExit(0) from None
