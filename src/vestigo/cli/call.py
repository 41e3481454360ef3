"""``Call``: what a call asks for, and what follows: the settings, the trace, where results are kept, the answer."""

import dataclasses
import shlex
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, fields
from functools import cached_property, wraps
from inspect import Parameter, Signature, signature
from pathlib import Path
from types import EllipsisType
from typing import TYPE_CHECKING, Any, get_type_hints

from vestigo.cli.options import Options
from vestigo.cli.stated import PLAN, intake_options, plan_for

if TYPE_CHECKING:
    from rich.console import RenderableType

    from vestigo.cli.screen import Progress
    from vestigo.data import Told
    from vestigo.rules import Plan
    from vestigo.trace import Trace

_SLOW_SECONDS = 2.0
_MOST_NOTES = 20
_MOST_NAMED = 4
"""So many files are named in advice. More are what a shell made of a pattern."""
SETTINGS = ("trace", "plan_path", "rules", "intake", "strict")
RESULTS = ("results", "no_results")


@dataclass(frozen=True, kw_only=True)
class Call(Options):
    """What a call says, and what follows from it."""

    @cached_property
    def plan(self) -> "Plan | None":
        """The plan, with the rules of ``--rules`` put over its own. None if nothing is stated."""
        return plan_for(self.plan_path, self.rules)

    @property
    def settings(self) -> "Plan":
        """The plan. Raises InputError if nothing is stated."""
        from vestigo.errors import InputError

        if self.plan is None:
            raise InputError(
                "no settings: name a plan file (--plan FILE), or state rules, such as --rules max_entries=500"
            )
        return self.plan

    @cached_property
    def intake_options(self) -> "Told":
        """What ``--intake`` and ``--strict`` say, as Intake takes it."""
        return intake_options(self.intake, self.strict)

    def read(self, progress: "Progress", *, is_converted: bool = False) -> "Trace":
        """The trace, with notes on what was assumed, and advice to convert it if reading is slow. Raises InputError,
        also for a ``--lookup`` that the trace does not have.
        """
        from vestigo.cli.screen import note
        from vestigo.compiled import texts
        from vestigo.errors import InputError
        from vestigo.trace import Intake, read_trace

        self._check_template()
        plan = self.plan
        source = self.trace or ([str(plan.trace_path)] if plan and plan.trace_path else None)
        if source is None:
            raise InputError("no trace: name one on the command line, or as path in the [trace] of a plan")
        only = {"-": "standard input"}.get(source[0], Path(source[0]).name)
        progress.step(f"reading {only if len(source) == 1 else f'{len(source)} files'}")
        texts.end_with(2)  # the same status as for any wrong input
        begun = time.monotonic()
        intake = plan.intake if plan else Intake()
        trace = read_trace(source[0] if len(source) == 1 else source, intake, **self.intake_options)
        seconds = time.monotonic() - begun
        for said in trace.notes[:_MOST_NOTES]:
            note(said)
        if len(trace.notes) > _MOST_NOTES:
            note(f"and {len(trace.notes) - _MOST_NOTES:,} more notes of this kind, on other files")
        if trace.moved:
            note(f"{trace.source}: {trace.moved:,} rows came after a later one; they were sorted into place")
        if seconds > _SLOW_SECONDS and not is_converted and not source[-1].endswith(".arrow"):
            words = shlex.join(source) if len(source) < _MOST_NAMED else "TRACE..."
            note(
                f"reading took {seconds:.0f} s; prepare it once, and it opens at once: vestigo convert {words} "
                "NAME.arrow"
            )
        check_lookups(self.lookup, trace)
        return trace

    def earlier(self, path: Path, progress: "Progress") -> "Trace":
        """Another recording, read as the trace is."""
        from vestigo.trace import Intake, read_trace

        progress.step(f"reading {path.name}")
        return read_trace(path, self.plan.intake if self.plan else Intake(), **self.intake_options)

    @property
    def words(self) -> list[str]:
        """The options that another verb needs for the same trace and settings."""
        options = {
            "--plan": [str(self.plan_path)] if self.plan_path else [],
            "--rules": self.rules or [],
            "--intake": self.intake or [],
        }
        said = [word for name, each in options.items() for one in each for word in (name, one)]
        return [*(self.trace or []), *said, *(["--strict"] if self.strict else [])]

    @cached_property
    def kept_in(self) -> Path | None:
        """Where results are kept: where the user says, or else beside the plan if that folder can be written."""
        from vestigo.cli.screen import note

        if self.no_results or self.results is not None:
            return None if self.no_results else self.results
        plan = self.plan_path or (PLAN if PLAN.exists() else None)
        if plan is None:
            return None
        beside = plan.with_suffix(".results")
        try:
            with beside.open("ab"):
                pass
        except OSError as error:
            note(f"{beside}: results are not kept: {error.strerror}; --results FILE keeps them elsewhere")
            return None
        if beside.stat().st_size == 0:
            beside.unlink()
        return beside

    def answer(self, result: Any, text: "Callable[[Any], RenderableType]", notes: Iterable[str] = ()) -> None:
        """Prints what was found, as JSON or as a text. Notes go with JSON alone, because a text contains them."""
        from vestigo.cli.screen import show, show_json

        if self.as_json:
            show_json(result if isinstance(result, dict) else result.to_dict(), notes)
        else:
            show(text(result))

    def write_plan(self, picked: "Plan", lookups: "Sequence[str]", what: str = "") -> None:
        """Writes settings to ``--write``: as a plan file that can be replayed alone, with the trace's path if that is
        one, the meaning of its columns, and the aim; or in the form of ``--template``, for all `lookups`. A note says
        `what` they are. Does nothing if no file is named.
        """
        from vestigo.cli.screen import note

        if self.write is None:
            return
        if self.template is not None:
            from vestigo.files import write_text
            from vestigo.show.own_form import fill_in

            write_text(self.write, fill_in(self.template, picked, lookups))
        else:
            self._whole(picked).write(self.write)
        if what:
            note(f"{self.write}: {what}")

    def write_costs(self, rules: "Mapping[str, object]") -> None:
        """Puts what was measured into the plan of ``--write-costs``, and notes what. Does nothing if no file is
        named.
        """
        from vestigo.cli.screen import note
        from vestigo.rules.plan_edit import state_rules
        from vestigo.rules.plan_text import rule_text

        if self.costs_to is None:
            return
        if not rules:
            note(f"{self.costs_to}: nothing was measured, so it stays as it is")
            return
        others = state_rules(self.costs_to, rules)
        note(f"{self.costs_to}: " + ", ".join(f"{name} = {rule_text(name, value)}" for name, value in rules.items()))
        if others:
            note(f"{self.costs_to}: other values stay in [{'], ['.join(others)}]; write these there, too")

    def _whole(self, picked: "Plan") -> "Plan":
        """Settings with all that a plan file says besides."""
        from vestigo.rules import Plan

        plan = self.plan or Plan()
        trace_path = plan.trace_path
        if self.trace is not None:
            trace_path = Path(self.trace[0]) if len(self.trace) == 1 and self.trace != ["-"] else None
        intake = plan.intake.with_options(self.intake_options)
        return dataclasses.replace(picked, trace_path=trace_path, intake=intake, aim=plan.aim)

    def _check_template(self) -> None:
        """Raises InputError for a template that cannot be filled in, before there is any work."""
        from vestigo.errors import InputError
        from vestigo.show.own_form import parsed

        if self.template is not None:
            if self.write is None:
                raise InputError("--template: name the file that is to be written, too: --write FILE")
            parsed(self.template)


def asks(*names: str | EllipsisType) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Gives a verb some of the shared options, where ``...`` stands for its own. The verb is called with a `Call` of
    what the shared ones say, and with its own.
    """
    hints, defaults = get_type_hints(Call, include_extras=True), {one.name: one.default for one in fields(Call)}

    def option(name: str) -> Parameter:
        return Parameter(name, Parameter.KEYWORD_ONLY, default=defaults[name], annotation=hints[name])

    def decorated(run: Callable[..., None]) -> Callable[..., None]:
        own = [one.replace(kind=Parameter.KEYWORD_ONLY) for one in list(signature(run).parameters.values())[1:]]
        parameters = [one for name in names for one in ([option(name)] if isinstance(name, str) else own)]

        @wraps(run)
        def called(**given: Any) -> None:
            run(Call(**{name: given.pop(name) for name in names if isinstance(name, str)}), **given)

        called.__signature__ = Signature(parameters)  # type: ignore[attr-defined]  # the parser of arguments reads it
        called.__annotations__ = {one.name: one.annotation for one in parameters}
        return called

    return decorated


def share(option: str, text: str | None) -> float | None:
    """The share that an option states, if it is given. Raises InputError."""
    from vestigo.arguments import argument
    from vestigo.units import parse_share

    return None if text is None else float(argument(option, parse_share, text))


def check_lookups(names: Sequence[str] | None, trace: "Trace") -> None:
    """Raises InputError for a look-up that the trace does not have."""
    from vestigo.errors import InputError, unknown

    problems = [f"--lookup: {unknown(name, list(trace.lookups))}" for name in names or () if name not in trace.lookups]
    if problems:
        raise InputError(problems)


def secret_in(path: Path) -> bytes:
    """The content of a file, without blanks around it. Raises InputError."""
    from vestigo.errors import InputError

    try:
        return path.read_bytes().strip()
    except OSError as error:
        raise InputError(f"{path}: cannot be read: {error.strerror}") from None
