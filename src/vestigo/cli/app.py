"""``vestigo VERB``: finds the verb, runs it, and turns errors into one sentence and an exit status."""

import contextlib
import os
import sys
from collections.abc import Callable
from functools import wraps
from typing import Annotated, Any, NoReturn

import typer

from vestigo.cli.stopping import end_now, end_soon_when_interrupted, has_been_said
from vestigo.cli.verbs import verbs
from vestigo.errors import InputError, Interrupted, OutOfMemory, WorkersLost
from vestigo.machine import is_memory

WrongCall: Any = typer.BadParameter.__bases__[0]  # Typer ships this class, or takes it from Click
WRONG_INPUT = 2
INTERRUPTED = 130

app = typer.Typer(
    help="Replays recorded reads against in-process cache settings, and shows what each would have given.",
    epilog="Exit status: 0 done, 1 a limit is not met, 2 wrong input, 130 interrupted.",
    invoke_without_command=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)


class _Stopped(Exception):
    """Ctrl-C during long work, with what to say. The parser of arguments would take it for any other Ctrl-C."""


def _saying_how_to_go_on(run: Callable[..., object]) -> Callable[..., object]:
    @wraps(run)
    def called(*arguments: object, **options: object) -> object:
        try:
            return run(*arguments, **options)
        except Interrupted as error:
            raise _Stopped(str(error)) from None

    return called


for _name, _verb in verbs().items():
    app.command(_name, short_help=_verb.short, epilog=f"Exit status: {_verb.statuses}.")(
        _saying_how_to_go_on(_verb.run)
    )


def _print_version(asked: bool) -> None:
    if asked:
        from vestigo import __version__

        print(f"vestigo {__version__}")
        raise typer.Exit


_FIRST_STEPS = """\
Vestigo tells you which settings an in-process cache should have, from a recording of real reads.

  1. See it on a made-up recording:   vestigo demo
  2. What is in a recording of yours? vestigo survey reads.csv
     (a log, a table, or what vestigo listen records from a running service)
  3. Which settings to take?          vestigo choose reads.csv

All verbs: vestigo --help"""


@app.callback()
def _verbs(
    call: typer.Context,
    _: Annotated[
        bool, typer.Option("--version", callback=_print_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    """Every verb has its own --help, with an example."""
    if call.invoked_subcommand is None:
        print(_FIRST_STEPS)


def main() -> None:
    """Raises SystemExit with the exit status, always."""
    end_soon_when_interrupted()
    try:
        status = _called()
    except OutOfMemory as error:
        _end_at_once(error.problems[0])
    except InputError as error:
        _end(WRONG_INPUT, *error.problems)
    except _Stopped as error:
        _end(INTERRUPTED, str(error))
    except WorkersLost as error:
        _end(WRONG_INPUT, str(error))
    except (KeyboardInterrupt, typer.Abort):
        _end(INTERRUPTED, "stopped")
    except (MemoryError, RuntimeError) as error:
        if not is_memory(error):
            raise
        _end_at_once(f"memory ran out{_doing()}; take a part of the trace (vestigo convert --sample 10%)")
    except BrokenPipeError:  # whoever reads our output has closed it, so nothing more may be written
        _give_up_output()
        raise SystemExit(0) from None
    except OSError as error:
        _give_up_output()
        where = f"{error.filename}: " if error.filename else "the output cannot be written: "
        _end(WRONG_INPUT, f"{where}{error.strerror or error}")
    if status == INTERRUPTED:  # as Typer reports Ctrl-C
        _end(INTERRUPTED, "stopped")
    raise SystemExit(status)


def _called() -> int:
    """Runs the verb of the call, and returns its status. A wrong call ends here."""
    try:
        status = app(standalone_mode=False)
        sys.stdout.flush()
    except SystemExit as ended:
        if isinstance(ended.__context__, BrokenPipeError):  # Typer's own answer to that
            raise BrokenPipeError from None
        raise
    except WrongCall as error:
        _end(WRONG_INPUT, f"{_as_ours(error.format_message())}; see {_command(error)} --help")
    return status if isinstance(status, int) else 0


def _end_at_once(problem: str) -> NoReturn:
    """Ends the process where memory ran out. What Python does at its end may need more."""
    _say(problem)
    end_now(WRONG_INPUT)


def _doing() -> str:
    """What was being done, as a part of a sentence."""
    screen = sys.modules.get("vestigo.cli.screen")
    return f" ({screen.last_step()})" if screen is not None and screen.last_step() else ""


def _give_up_output() -> None:
    """Python would try again at its end to write what could not be written."""
    with contextlib.suppress(OSError, ValueError):  # in tests it is no file
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _command(error: Any) -> str:
    return f"vestigo {error.ctx.info_name}" if error.ctx is not None and error.ctx.parent else "vestigo"


def _as_ours(message: str) -> str:
    """Turns a usage error of the argument parser into a sentence in our form."""
    said = message.replace("Value error, ", "").replace("\n", " ").rstrip(".")
    return said[0].lower() + said[1:]


def _end(status: int, *problems: str) -> NoReturn:
    for problem in problems:
        _say(problem)
    if status == INTERRUPTED:
        has_been_said()
    raise SystemExit(status) from None


def _say(problem: str) -> None:
    from vestigo.show.safe import printable

    with contextlib.suppress(OSError):  # nobody can be told
        print(f"vestigo: {printable(problem, most=1000)}", file=sys.stderr)
