"""``replay``: one trace, one set of settings, one outcome."""

from collections.abc import Callable, Iterable, Iterator
from typing import TYPE_CHECKING, Protocol

from vestigo.arguments import text
from vestigo.engine.context import assumptions, whose_cache
from vestigo.engine.job import Job, job, marks
from vestigo.engine.known_parts import KnownParts, known_parts
from vestigo.engine.parts import Share
from vestigo.engine.what_if import applied
from vestigo.outcome import Measures, Outcome, Slices
from vestigo.outcome.alone import Alone
from vestigo.outcome.measures import Fields
from vestigo.outcome.seen import Answers, Seen, Watching
from vestigo.prepared.memory import is_long
from vestigo.progress import Progress
from vestigo.rules.plan import Engine
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.trace import Readable

if TYPE_CHECKING:
    from vestigo.engine.native.counted import Halves


def replay(trace: Readable, settings: Settings, *, engine: Engine = "native", name: str = "replay") -> Outcome:
    """What `settings` would have given on `trace`.

    `Rules` hold for every look-up of the trace, and each look-up has its own room. A `Plan` has rules for each look-up,
    a warm-up, and circumstances that are to differ from the trace. Its candidates are left out (see `compare`). The two
    engines give the same counts: ``native`` is fast, ``reference`` is plain Python that you can read, and runs your own
    policies.

    Raises RulesError if the settings do not fit the trace.

    >>> from vestigo import Rules, read_trace
    >>> trace = read_trace({"at": [0, 10, 20], "key": ["a", "b", "a"]})
    >>> replay(trace, Rules(max_entries=1)).hits, replay(trace, Rules(max_entries=2)).hits
    (0, 1)
    """
    stated = plan_of(settings, engine)
    on, plan = applied(trace_of(trace, stated), stated)
    return run(job(on, plan), text("name", name))


class ReplayEngine(Protocol):
    """What both engines can do. Each is a package with these functions."""

    def run(self, job: Job, known: KnownParts, /) -> tuple[Fields, dict[str, Measures], Slices]:
        """The fields of `Measures` for all look-ups together, the measures of each, and those of each slice of time.
        Parts that are known need not be replayed.
        """

    def watch(self, job: Job, watching: Watching, known: KnownParts, /) -> Seen:
        """What a replay tells of single reads and keys."""

    def answers_by_batch(self, job: Job, /) -> Iterator[tuple[int, int, Answers]]:
        """The rows of each batch, and the answers of its reads."""


def engine_of(job: Job) -> ReplayEngine:
    """The engine that a job is for."""
    if job.engine == "native":
        from vestigo.engine import native

        return native
    from vestigo.engine import reference

    return reference


def run(job: Job, name: str) -> Outcome:
    """Replays a job, for studies, which make their own jobs."""
    total, lookups, slices = engine_of(job).run(job, known_parts(job.trace))
    return Outcome(
        **total,
        lookups=lookups,
        slices=slices,
        marks=marks(job.trace),
        name=name,
        whose=whose_cache(job.trace, job.groups),
        assumptions=assumptions(job),
    )


def run_in_halves(job: Job, split_ns: int, names: Iterable[str]) -> "Halves | None":
    """For studies that replay much: the measures of all the time, of the slices that begin before `split_ns` and of the
    others, and the counts with these `names` of each slice. Parts that are known are not replayed. None where a replay
    is not cut into parts: by the reference engine, and of a trace that is too long to be kept.
    """
    if not _is_cut(job):
        return None
    from vestigo.engine import native

    return native.run_in_halves(job, split_ns, names)


def replay_parts(jobs: Iterable[Job], split_ns: int, progress: Progress) -> None:
    """Replays the parts of several jobs, each once, so that `run_in_halves` finds them."""
    if cut := [job for job in jobs if _is_cut(job)]:
        from vestigo.engine import native

        native.count_parts(cut, split_ns, progress)


def works_of(jobs: Iterable[Job]) -> list[Callable[[], None]]:
    """Calls that replay the parts of several jobs, each once, so that `run` finds them. They can be called side by
    side.
    """
    if not (cut := [job for job in jobs if _is_cut(job)]):
        return []
    from vestigo.engine import native

    return native.works_of(cut)


def replay_alone(job: Job, share: Share, split_ns: int) -> Alone:
    """What a part of a job gives on its own. Only the native engine can do that."""
    from vestigo.engine import native

    return native.count_alone(job, share, split_ns)


def _is_cut(job: Job) -> bool:
    return job.engine == "native" and len(job.trace) > 0 and not is_long(len(job.trace))
