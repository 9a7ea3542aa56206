"""An intermittent fault that has been quiet for a while: cured, on probation, or not found.

Events that come at random with a mean interval M leave a quiet time of 3 M with a chance of e^-3, five in a hundred, while the fault is
still there. Only a cause that was seen and removed, and that time, close it; smoke always needs its own cause.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from calm_needle.core.quantities import format_plain
from calm_needle.core.verdict import Verdict

QUIET_TIMES = 3.0  # of the mean interval
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
    """Where a watch stands. mean_s: between events, None for fewer than one; needed_s: quiet time asked for; left_s: what is left of it."""

    events: int
    mean_s: float | None
    needed_s: float
    quiet_s: float
    left_s: float
    places: tuple[str, ...]
    verdict: Verdict
    closed: bool


def watch(entries: Sequence[Entry], *, on_s: float, events_before: int = 0, before_s: float = 0.0) -> Watch:
    """Return where a watch of on_s seconds stands. events_before, before_s: events of earlier watches of this fault, and their seconds."""
    happened = [e for e in entries if e.kind in ("event", "smoke")]
    smoke = [e for e in entries if e.kind == "smoke"]
    removed = [e for e in entries if e.kind == "cause removed"]
    ends = [e.at_s for e in (*happened, *removed)]
    last = max(ends, default=0.0)
    count, seconds = len(happened) + events_before, (last if ends else on_s) + before_s
    mean = seconds / count if count else None
    needed = max(QUIET_TIMES * (mean or 0.0), LEAST_QUIET_S)
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
    if left > 0.0:
        said = f"{'On probation' if removed else 'Not found yet'}: quiet for another {_span(left)}."
        return Watch(*figures, left, places, Verdict("watch", said, evidence), closed=False)
    if removed:
        said = f"Closed: {removed[-1].place or 'its cause'} was seen and removed, and it has been quiet since."
        return Watch(*figures, 0.0, places, Verdict("good", said, evidence), closed=True)
    if not count:
        return Watch(*figures, 0.0, places, Verdict("good", "Nothing happened in the time asked for.", evidence), closed=True)
    said = "Quiet long enough, but no cause was seen: not found. Clean and reseat what answered, and tell the owner."
    return Watch(*figures, 0.0, places, Verdict("watch", said, evidence), closed=False)


def _span(seconds: float) -> str:
    if seconds >= 5400.0:
        return f"{format_plain(round(seconds / 3600.0, 1), unit='')} h"
    return f"{round(seconds / 60.0):.0f} min"
