"""Does a value stay between two limits? By readings that come by themselves, however seldom they come."""

import statistics
from typing import NamedTuple

from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.series import Seen, Series

STEADY_S = 1.0  # s that a value must have stayed inside
FEWEST, FEWEST_SLOW = 5, 3  # readings of that time; of a meter that gives fewer, the newest at one place
WANDERS_FEWEST = 8  # readings at one place after which its own unrest is told from what is not there yet
WANDERS_SHARE = 0.15  # of the way between the limits; what wanders less is brought further in
LOOKED_BACK_S = 20.0
LOOKED_BACK_UNCOUNTED_S = 3.0  # where nobody counts the turns: what came before may have been turned


class AtRest(NamedTuple):
    """Whether it stays inside; or, where its middle does and it does not, by how much it wanders (standard deviation)."""

    inside: bool
    wanders: float | None = None


def at_rest(series: Series, *, low: float, high: float) -> AtRest:
    """Judge the newest readings of a series that has some, none of them typed; low and high in its own unit."""
    here = _here(series.watched)
    recent = [r for r in series.watched[-60:] if series.watched[-1].t_s - r.t_s <= STEADY_S]
    slow = len(recent) < FEWEST
    if slow:
        recent = here[:FEWEST_SLOW]
    asked = FEWEST_SLOW if slow else FEWEST
    enough = len(here) >= asked and (not slow or here[0].t_s - here[asked - 1].t_s >= STEADY_S)
    if enough and all(low <= r.value <= high for r in recent):
        return AtRest(True)
    values = [r.value for r in here]
    if len(here) < WANDERS_FEWEST or here[0].t_s - here[-1].t_s < STEADY_S:
        return AtRest(False)
    # What still moves has one half of its readings elsewhere.
    halves = values[: len(values) // 2], values[len(values) // 2 :]
    unrest = statistics.stdev(values)
    if unrest > WANDERS_SHARE * (high - low) and all(low <= statistics.fmean(half) <= high for half in halves):
        return AtRest(False, unrest)
    return AtRest(False)


def wanders(shown: str, allowed: str) -> Advice:
    """Return the advice for a value that moves by itself by more than its tolerance."""
    return Advice(
        "watch",
        "wander",
        "The reading wanders too much to stay inside.",
        f"Its mean is inside, but it moves by ± {shown} with nothing turned; ± {allowed} is allowed. Find the cause, or take it (T).",
    )


def _here(watched: list[Seen]) -> list[Seen]:
    """The newest readings since anything was turned, newest first."""
    last, out = watched[-1], []
    back_s = LOOKED_BACK_S if last.turns else LOOKED_BACK_UNCOUNTED_S
    for r in reversed(watched):
        if r.turns != last.turns or last.t_s - r.t_s > back_s or r.alone:
            break
        out.append(r)
    return out
