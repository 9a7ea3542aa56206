"""An intermittent fault that has been quiet for a while: cured, on probation, or not found.

Events come at random. n of them in a time T say how often only roughly, so the next quiet time t has a chance of (1 + t/T)^-n while the
fault is still there: five in a hundred after T (0.05^(-1/n) - 1), which is 19 mean intervals after one event, 6.9 after two, and tends to
three after many (gamma-exponential predictive law; the first watch of nothing has the owner's word instead, taken as the mean). Only a
cause that was seen and removed, and that time, close it; where nothing was seen to happen nothing was found. Smoke needs its own cause.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from calm_needle.core.quantities import format_plain
from calm_needle.core.verdict import Verdict

STILL_THERE = 0.05  # the chance of so long a quiet while the fault is still there
OWNERS_TIMES = 3.0  # of the interval that its owner says: e^-3 is 0.05
ATTENDED_S = 1800.0  # after a sign of somebody: what runs on alone longer counts for nothing
ASKED_S = 900.0  # after which it is asked whether somebody is there
LEAST_QUIET_S = 3600.0
PLACE_OFTEN = 2  # provocations at one place that were answered, from which it is where to look

Kind = Literal["event", "provoked", "nothing", "cause removed", "smoke"]


@dataclass(frozen=True)
class Entry:
    """What was logged at a time (s since the watch began): an event by itself, a provocation at a place with or without an answer, a cause
    that was removed, smoke."""

    at_s: float
    kind: Kind
    place: str = ""


@dataclass(frozen=True)
class Watch:
    """Where a watch stands. mean_s: between events, or what the owner says, None where neither is known; needed_s: quiet time asked for;
    left_s: what is left of it."""

    events: int
    mean_s: float | None
    needed_s: float
    quiet_s: float
    left_s: float
    places: tuple[str, ...]
    verdict: Verdict
    closed: bool


def attended(signs_s: Sequence[float], *, on_s: float) -> list[float]:
    """Return the attended seconds at each sign of somebody (s on, in order) and, last, now: longer gaps count as ATTENDED_S."""
    out, at_s, before_s = [], 0.0, 0.0
    for sign_s in (*signs_s, on_s):
        at_s += min(max(sign_s - before_s, 0.0), ATTENDED_S)
        before_s = max(before_s, sign_s)
        out.append(at_s)
    return out


def quiet_asked_for(events: int, *, seconds: float) -> float:
    """Return how long (s) it has to be quiet after so many events, N >= 1, in so many seconds.

    >>> [round(quiet_asked_for(n, seconds=float(n)), 1) for n in (1, 2, 3, 5, 10)]
    [19.0, 6.9, 5.1, 4.1, 3.5]
    """
    return seconds * (math.pow(STILL_THERE, -1.0 / events) - 1.0)


def watch(entries: Sequence[Entry], *, on_s: float, events_before: int = 0, before_s: float = 0.0, owner_s: float | None = None) -> Watch:
    """Return where a watch of on_s seconds stands. events_before, before_s: events of earlier watches of this fault, and their seconds.
    owner_s: how often it happens, as its owner says; None where nobody asked.
    """
    happened = [e for e in entries if e.kind in ("event", "smoke")]
    smoke = [e for e in entries if e.kind == "smoke"]
    removed = [e for e in entries if e.kind == "cause removed"]
    ends = [e.at_s for e in (*happened, *removed)]
    last = max(ends, default=0.0)
    count, seconds = len(happened) + events_before, (last if ends else on_s) + before_s
    mean = seconds / count if count else owner_s
    needed = max(quiet_asked_for(count, seconds=seconds) if count else 0.0, OWNERS_TIMES * (owner_s or 0.0), LEAST_QUIET_S)
    quiet = on_s - last
    left = max(0.0, needed - quiet)
    answered = [e.place for e in entries if e.kind == "provoked" and e.place]
    places = tuple(dict.fromkeys(p for p in answered if answered.count(p) >= PLACE_OFTEN)) or tuple(dict.fromkeys(answered))
    evidence = (
        f"{count} event{'' if count == 1 else 's'} in {_span(seconds)}",
        f"quiet for {_span(quiet)}, {_span(needed)} asked for",
        *((f"answers when touched: {', '.join(places)}",) if places else ()),
    )
    figures = (count, mean, needed, quiet)
    if smoke and not any(r.at_s >= smoke[-1].at_s for r in removed):
        said = "Smoke needs its own cause: switch off, and find it."
        return Watch(*figures, left, places, Verdict("stop", said, evidence), closed=False)
    if not count and not removed and owner_s is None:
        said = "Nothing happened so far, which says nothing yet: ask its owner how often it does."
        return Watch(*figures, left, places, Verdict("watch", said, evidence), closed=False)
    if left > 0.0:
        said = f"{'On probation' if removed else 'Not found yet'}: quiet for another {_span(left)}."
        return Watch(*figures, left, places, Verdict("watch", said, evidence), closed=False)
    if removed:
        said = f"Closed: {removed[-1].place or 'its cause'} was seen and removed, and it has been quiet since."
        return Watch(*figures, 0.0, places, Verdict("good", said, evidence), closed=True)
    if not count:
        said = "It did not happen in three times what its owner says: not found here. Say so, and to whom it goes back."
        return Watch(*figures, 0.0, places, Verdict("watch", said, evidence), closed=False)
    said = "Quiet long enough, but no cause was seen: not found. Clean and reseat what answered, and tell the owner."
    return Watch(*figures, 0.0, places, Verdict("watch", said, evidence), closed=False)


def _span(seconds: float) -> str:
    if seconds >= 5400.0:
        return f"{format_plain(round(seconds / 3600.0, 1), unit='')} h"
    return f"{round(seconds / 60.0):.0f} min"
