"""Where the core of a winding stands while it is measured: out, in, or in the middle, and back afterwards.

The program turns the cores of a practice set; on a real one a person does, and the page says so.
"""

from collections.abc import Iterator
from contextlib import contextmanager

from calm_needle.bench.practice_set import PracticeSet
from calm_needle.core.dossier.model import Adjuster
from calm_needle.core.soundness.guided.piece import CorePlace
from calm_needle.errors import FieldsRefused
from calm_needle.work.instruments.meters import Meters

ALONG = {"out": 0.0, "middle": 0.5, "in": 1.0}
AT_ONCE_TURNS, LONGEST_TRAVEL_TURNS = 4.0, 12.0
OFF_PLACE = 0.03  # of the travel


@contextmanager
def core_at(meters: Meters, core: Adjuster | None, place: CorePlace) -> Iterator[None]:
    """Have the core of a practice set at a place, and back where it was afterwards. Raises FieldsRefused for one held by its wax."""
    practice = meters.practice
    if not place or core is None or practice is None:
        yield
        return
    with meters.together():
        began = practice.position(core.id)
        try:
            _turn(practice, core.id, (ALONG[place] - began.travel) * (core.travel_turns or LONGEST_TRAVEL_TURNS))
            if abs(practice.position(core.id).travel - ALONG[place]) > OFF_PLACE:
                name = f"{core.phrase[0].upper()}{core.phrase[1:]}"
                raise FieldsRefused({"value": f"{name} does not move with the tool: clear its wax first, never force it."})
            yield
        finally:
            _turn(practice, core.id, began.turns - practice.position(core.id).turns)


def travel_percent(meters: Meters, core: Adjuster) -> float:
    """Return how far along its travel the core of a practice set stands. Raises FieldsRefused for a real one: it is judged by eye."""
    if meters.practice is None:
        raise FieldsRefused({"value": "Only a practice set can be asked where its core stands: judge it by eye, and type it."})
    with meters.together():
        return 100.0 * meters.practice.position(core.id).travel


def _turn(practice: PracticeSet, core: str, turns: float) -> None:
    while abs(turns) > 1e-4:
        step = max(-AT_ONCE_TURNS, min(AT_ONCE_TURNS, turns))
        practice.turn(core, step)
        turns -= step
