"""``vestigo sweep``: many candidates, side by side."""

from vestigo.cli.call import RESULTS, SETTINGS, Call, asks
from vestigo.cli.verbs import Verb


@asks(*SETTINGS, "sample", "rest", *RESULTS, "yes", "cluster", "figure", "as_json")
def sweep(call: Call) -> None:
    """Replay every candidate and every combination of what varies, and show those that no other beats.

    Example: vestigo sweep skerrow-quay.parquet --plan plan.toml
    """
    from vestigo.cli.screen import save
    from vestigo.cli.swept import swept
    from vestigo.show.study import sweep_text

    candidates, _ = swept(call)
    if call.figure is not None:
        from vestigo.show.figures import front

        save(front(candidates), call.figure, "all candidates, and those that no other beats")
    call.answer(candidates, sweep_text, candidates.notes)


VERB = Verb(5, "Replay every combination; show the best trade-offs.", sweep)
