"""What a workshop has before it: bench time that is left of each job, what may go on while another waits, and what a day will see ready."""

import itertools
import statistics
from collections.abc import Mapping, Sequence
from typing import NamedTuple

# Minutes at the bench for each phase where a workshop has no past of its own yet.
USUAL_MIN: Mapping[str, float] = {
    "intake": 15.0,
    "safe start": 30.0,
    "health": 90.0,
    "intermediate frequency": 30.0,
    "oscillator and dial": 40.0,
    "front end": 25.0,
    "verification": 25.0,
    "record": 10.0,
}
SLOWER = 1.5  # times as long as a modelled hand somebody takes who fetches, reads and looks
FEWEST = 3  # of one's own, from which their median is believed
LONGEST_PAUSE_MIN = 10.0  # between two acts; more than that, somebody was not at the bench


class Waiting(NamedTuple):
    """A job in the queue: its number and name, phases still to do, minutes they take, what it waits for, until when (a day, or empty)."""

    job_id: int
    name: str
    phases: tuple[str, ...]
    minutes: float
    waits_for: str = ""
    until: str = ""


class Planned(NamedTuple):
    """A job in the order in which it is best done: minutes until it is done, all before it included; whether it is ready by the day."""

    job: Waiting
    done_after_min: float
    ready: bool


def bench_minutes(times_s: Sequence[float]) -> float:
    """Return the minutes at the bench of acts at these times (s, rising): pauses are not counted."""
    gaps = [(b - a) / 60.0 for a, b in itertools.pairwise(times_s)]
    return sum(min(g, LONGEST_PAUSE_MIN) for g in gaps)


def minutes_of(phase: str, own: Mapping[str, Sequence[float]], rehearsed: Mapping[str, Sequence[float]] | None = None) -> float:
    """Return what a phase takes here: the median of one's own, else of its model's rehearsals, else what is usual.

    rehearsed: of the model of that very set. A rehearsal has no looking for things: it counts SLOWER times as much.
    """
    mine, practised = own.get(phase, ()), (rehearsed or {}).get(phase, ())
    if len(mine) >= FEWEST:
        return statistics.median(mine)
    return SLOWER * statistics.median(practised) if practised else USUAL_MIN.get(phase, 30.0)


def in_order(jobs: Sequence[Waiting], *, day: str, minutes: float) -> list[Planned]:
    """Return jobs in the order that has most of them ready by a day, with so many minutes at the bench until then.

    What takes least goes first, as that leaves most of them done; what waits for something until after that day comes last, not ready.
    """
    late = [j for j in jobs if j.waits_for and (not j.until or (day and j.until > day))]
    able = sorted((j for j in jobs if j not in late), key=lambda j: (j.minutes, j.job_id))
    out, total = [], 0.0
    for job in able:
        total += job.minutes
        out.append(Planned(job, total, total <= minutes))
    for job in sorted(late, key=lambda j: (j.until or "9999", j.job_id)):
        total += job.minutes
        out.append(Planned(job, total, ready=False))
    return out
