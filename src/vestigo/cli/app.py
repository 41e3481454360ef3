"""``vestigo VERB``: finds the verb, runs it, and turns errors into one sentence and an exit status."""

import os
import sys
from typing import Annotated, Any

import typer

from vestigo.cli.stopping import end_soon_when_interrupted, has_been_said
from vestigo.cli.verbs import verbs
from vestigo.errors import InputError, Interrupted

WrongCall: Any = typer.BadParameter.__bases__[0]  # Typer ships this class, or takes it from Click
WRONG_INPUT = 2
INTERRUPTED = 130

app = typer.Typer(
    help="Replays recorded reads against in-process cache settings, and shows what each would have given.",
    epilog="Exit status: 0 done, 1 a limit is not met, 2 wrong input, 130 interrupted.",
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)
for _name, _verb in verbs().items():
    app.command(_name, short_help=_verb.short, epilog=f"Exit status: {_verb.statuses}.")(_verb.run)


def _print_version(asked: bool) -> None:
    if asked:
        from vestigo import __version__

        print(f"vestigo {__version__}")
        raise typer.Exit


@app.callback()
def _verbs(
    _: Annotated[
        bool, typer.Option("--version", callback=_print_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    """Every verb has its own --help, with an example."""


def main() -> None:
    end_soon_when_interrupted()
    try:
        try:
            status = app(standalone_mode=False)
        finally:
            sys.stdout.flush()
    except InputError as error:
        _end(WRONG_INPUT, *error.problems)
    except WrongCall as error:
        if "NoArgsIsHelp" in type(error).__name__:  # the text is the help of the program
            print(error.format_message())
            raise SystemExit(WRONG_INPUT) from None
        _end(WRONG_INPUT, f"{_as_ours(error.format_message())}; see {_command(error)} --help")
    except Interrupted as error:
        _end(INTERRUPTED, str(error))
    except (KeyboardInterrupt, typer.Abort):
        _end(INTERRUPTED, "stopped")
    except BrokenPipeError:  # whoever reads our output has closed it, so nothing more may be written
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        raise SystemExit(0) from None
    if status == INTERRUPTED:  # as Typer reports Ctrl-C
        _end(INTERRUPTED, "stopped")
    raise SystemExit(status if isinstance(status, int) else 0)


def _command(error: Any) -> str:
    return f"vestigo {error.ctx.info_name}" if error.ctx is not None and error.ctx.parent else "vestigo"


def _as_ours(message: str) -> str:
    """Turns a usage error of the argument parser into a sentence in our form."""
    said = message.replace("Value error, ", "").replace("\n", " ").rstrip(".")
    return said[0].lower() + said[1:]


def _end(status: int, *problems: str) -> None:
    from vestigo.show.safe import printable

    for problem in problems:
        print(f"vestigo: {printable(problem, most=1000)}", file=sys.stderr)
    if status == INTERRUPTED:
        has_been_said()
    raise SystemExit(status) from None
