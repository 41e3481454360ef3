"""Runs many replays, or estimates, side by side. Each is kept on disk as it comes, and none is made twice."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import BrokenExecutor, Executor, Future, as_completed
from pathlib import Path
from typing import Any, NamedTuple, Protocol, Self, TypeVar

from vestigo.arguments import path_of
from vestigo.choosing.store import Store, result_name, trace_name
from vestigo.data import Told
from vestigo.errors import Interrupted, VestigoError, WorkersLost
from vestigo.progress import Progress, say_nothing
from vestigo.rules import Plan
from vestigo.threads import side_by_side
from vestigo.trace import Trace


class Result(Protocol):
    """What a task gives. It becomes plain data, and is made from it."""

    def to_dict(self) -> Told: ...

    @classmethod
    def from_dict(cls, told: Told, /) -> Self: ...


_R = TypeVar("_R", bound=Result)


class Task(NamedTuple):
    """A result that is wanted, and the name under which it is kept."""

    name: str
    stored_as: str | None
    run: Callable[..., Result]
    arguments: tuple[object, ...]
    anywhere: bool = False
    """Whether a worker in another process can do it."""


def how_to_go_on(is_kept: bool) -> str:
    """What to do after an interrupt, in words. `is_kept`: whether results are."""
    kept, lost = "the same call goes on from there", "give a file for results (--results FILE), and they are kept"
    return kept if is_kept else lost


class Tasks:
    """Runs the tasks of one trace on all cores, or on the workers of an executor. If a file is named, it keeps their
    results.
    """

    def __init__(
        self, trace: Trace, results: str | Path | None, executor: Executor | None, progress: Progress = say_nothing
    ) -> None:
        self.progress = progress
        self.store = Store(path_of("results", results)) if results is not None else None
        self._trace = trace_name(trace) if self.store else None
        self._executor = executor

    @property
    def notes(self) -> list[str]:
        return self.store.notes if self.store else []

    def stored_as(self, plan: Plan, *more: object) -> str | None:
        """The name under which a result of the plan is kept, if results are kept."""
        return None if self._trace is None else result_name(self._trace, plan, *more)

    def is_known(self, stored_as: str | None) -> bool:
        """Whether there is a result of that name."""
        return self.store is not None and stored_as is not None and self.store.get(stored_as, dict) is not None

    def run(
        self,
        tasks: list[Task],
        kind: type[_R],
        what: str,
        prepare: Callable[[Sequence[str]], object],
        part: Callable[[dict[str, _R]], object] = lambda _: None,
    ) -> tuple[dict[str, _R], int]:
        """All results by name, which are of one `kind`, and how many of them were not known from before. `prepare` is
        called before one is made, with the names of those that will be.

        Raises Interrupted on Ctrl-C, and WorkersLost. Both carry what `part` makes of the results that are there.
        """
        results: dict[str, _R] = {}
        try:
            results |= self._known(tasks, kind)
            missing = [task for task in tasks if task.name not in results]
            if missing:
                prepare([task.name for task in missing])
            for number, (name, result) in enumerate(self._made(missing, kind), len(results) + 1):
                results[name] = result
                self.progress(what, number, len(tasks))
        except (KeyboardInterrupt, BrokenExecutor) as why:
            stopped = "stopped" if isinstance(why, KeyboardInterrupt) else "the workers are lost"
            error = Interrupted if isinstance(why, KeyboardInterrupt) else WorkersLost
            said = f"{stopped} after {len(results):,} of {len(tasks):,} {what}; {how_to_go_on(self.store is not None)}"
            raise error(said, part(results)) from None
        return results, len(missing)

    def _known(self, tasks: list[Task], kind: type[_R]) -> dict[str, _R]:
        if self.store is None:
            return {}
        found = {
            task.name: self.store.get(task.stored_as, kind.from_dict) for task in tasks if task.stored_as is not None
        }
        return {name: result for name, result in found.items() if result is not None}

    def _made(self, tasks: list[Task], kind: type[_R]) -> Iterator[tuple[str, _R]]:
        """Results as they come. Each is kept before it is returned, so that finished ones are kept whatever happens."""
        with side_by_side() as threads:
            elsewhere = self._executor or threads
            # Other processes come first: those that are forked must not be made beside threads at work.
            first = sorted(tasks, key=lambda task: not task.anywhere)
            futures = {
                (elsewhere if task.anywhere else threads).submit(task.run, *task.arguments): task for task in first
            }
            try:
                for future in as_completed(futures):
                    yield futures[future].name, self._keep(_given(future, futures[future], kind), futures[future])
            finally:
                for future in futures:
                    future.cancel()

    def _keep(self, result: _R, task: Task) -> _R:
        if self.store is not None and task.stored_as is not None:
            self.store.put(task.stored_as, result.to_dict())
        return result

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        if self.store:
            self.store.close()


def _given(future: "Future[Any]", task: Task, kind: type[_R]) -> _R:
    """The result of a task. Executors differ in how they report that a worker was lost."""
    try:
        result = future.result()
    except VestigoError:
        raise
    except Exception as error:
        if not task.anywhere:
            raise
        raise BrokenExecutor(str(error)) from error
    assert isinstance(result, kind)
    return result
