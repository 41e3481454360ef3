"""What the page with knobs receives of settings that are best within limits."""

from vestigo.choosing.best_within import BestWithin
from vestigo.choosing.candidates import Candidate
from vestigo.choosing.finding.answers import Recommended
from vestigo.choosing.finding.reasons import nothing_beats
from vestigo.choosing.pick import goal, written
from vestigo.data import Told
from vestigo.show.page.explored import point
from vestigo.show.page.knobs import Said, changed
from vestigo.units import capitalised


def recommended(best: BestWithin, found: Recommended | None, today: Said) -> Told:
    """The settings, as what differs from today's, and how good they are."""
    if found is None:
        return {"settings": None, "said": "Nothing that was tried keeps these limits."}
    reached = written(best.aim, best.reached(found.candidate))
    said = f"{capitalised(goal(best.aim))}: {reached}. {nothing_beats(found.proof, best.aim)}."
    return {"settings": changed(found.candidate.plan, today), "said": said}


def point_told(candidate: Candidate, number: int, stale_known: bool, today: Said) -> Told:
    """A point of the line of the best: its number from 0, its place, and its settings."""
    return {"number": number, "point": point(candidate, stale_known), "settings": changed(candidate.plan, today)}
