"""A recorded needle, judged as the bench judges it: for scripts, for comparison, and to see why something was said."""

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import pairwise
from typing import Any, NamedTuple, cast

from calm_needle.core.procedure.kinds.level import Words
from calm_needle.core.procedure.watch.peak_watch import Goal, PeakWatch, Verdict
from calm_needle.errors import FieldsRefused

GOALS = ("maximum", "minimum")
WAYS = (None, -1, 0, 1)


class Recorded(NamedTuple):
    """One recorded reading: time (s), level (dB), turns of the tool and way of the hand where they are known."""

    t_s: float
    level_db: float
    turns: float | None = None
    way: int | None = None
    at_stop: bool = False


class Stream(NamedTuple):
    """Recorded readings in their order, what they were turned for, and whether a person typed each of them."""

    readings: Sequence[Recorded]
    goal: Goal = "maximum"
    typed: bool = False


def read_stream(data: Any) -> Stream:
    """Return the stream that JSON data says. Raises FieldsRefused with every fault, at most ten of them."""
    if not isinstance(data, Mapping) or not isinstance(data.get("readings"), Sequence) or isinstance(data["readings"], str):
        raise FieldsRefused({"stream": 'A stream is {"goal": …, "typed": …, "readings": [{"t_s": …, "level_db": …}, …]}.'})
    faults: dict[str, str] = {}
    if data.get("goal", "maximum") not in GOALS:
        faults["goal"] = "The goal is maximum or minimum."
    readings = [_reading(i, row, faults) for i, row in enumerate(data["readings"])]
    times = [r.t_s for r in readings if r]
    if any(b < a for a, b in pairwise(times)):
        faults["t_s"] = "Times must not fall from one reading to the next."
    if faults:
        raise FieldsRefused(dict(list(faults.items())[:10]))
    return Stream([r for r in readings if r], cast(Goal, data.get("goal", "maximum")), bool(data.get("typed", False)))


def _reading(index: int, row: Any, faults: dict[str, str]) -> Recorded | None:
    name = f"reading {index + 1}"
    if not isinstance(row, Mapping):
        faults[name] = "A reading is an object with t_s and level_db."
        return None
    numbers = {key: row.get(key) for key in ("t_s", "level_db", "turns")}
    for key, value in numbers.items():
        number = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
        if not number and not (key == "turns" and value is None):
            faults[name] = f"{key} must be a number."
            return None
    if isinstance(row.get("way"), bool) or row.get("way") not in WAYS:
        faults[name] = "way is 1, -1, 0 or nothing."
        return None
    turns = numbers["turns"]
    return Recorded(
        float(numbers["t_s"] or 0.0),
        float(numbers["level_db"] or 0.0),
        None if turns is None else float(turns),
        None if row.get("way") is None else int(row["way"]),
        bool(row.get("at_stop", False)),
    )


def verdicts(stream: Stream) -> Iterator[tuple[Recorded, Verdict]]:
    """Yield the verdict after each reading."""
    watch = PeakWatch(goal=stream.goal)
    for r in stream.readings:
        watch.add(level_db=r.level_db, time_s=r.t_s, turns=r.turns, way=r.way, at_stop=r.at_stop, alone=stream.typed)
        yield r, watch.verdict()


def changes(stream: Stream) -> Iterator[tuple[float, str, str, str]]:
    """Yield each change of what is said: its time (s), the verdict with its grade of evidence, sentence, and evidence in words."""
    before: tuple[str, str] | None = None
    words = Words("the core", stream.goal)
    start = stream.readings[0].level_db if stream.readings else None
    for reading, verdict in verdicts(stream):
        now = (verdict.kind, verdict.evidence)
        if now != before:
            advice = words.advice(verdict, start_db=start)
            yield reading.t_s, " ".join(w for w in now if w != "none"), advice.sentence, advice.evidence
        before = now


def summary(stream: Stream) -> dict[str, Any]:
    """Return what was first said when (s): told to come back, called proven, told to take it, with how far below the crest (dB); whether
    it was said to slip; and the last verdict. None where it did not happen.
    """
    out: dict[str, Any] = dict.fromkeys(("past_s", "proven_s", "take_s", "take_below_db", "slips", "end"))
    for reading, verdict in verdicts(stream):
        for name, true in (("past_s", verdict.kind == "past"), ("proven_s", verdict.evidence == "proven")):
            if true and out[name] is None:
                out[name] = reading.t_s
        if verdict.may_take and out["take_s"] is None:
            out["take_s"], out["take_below_db"] = reading.t_s, round(verdict.gain_left_db or 0.0, 4)
        if verdict.kind == "slips":
            out["slips"] = True
        out["end"] = verdict.kind
    return out


def summaries(streams: Iterable[Any]) -> Iterator[dict[str, Any]]:
    """Yield the summary of each stream, or its faults in the place of one."""
    for data in streams:
        try:
            yield summary(read_stream(data))
        except FieldsRefused as fault:
            yield {"error": faults_in_words(fault)}


def faults_in_words(fault: FieldsRefused) -> str:
    """Return every fault with the place where it is."""
    return " ".join(f"{place}: {words}" for place, words in fault.faults.items())
