"""The sweep of the parts: each measured against its marking, region by region; whole cans, weak kinds, and what cannot be said.

Verdicts are by the part's own tolerance and the meter's. Near: beyond the tolerance by less than half of it again, to be watched.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import Literal, NamedTuple

from calm_needle.core.physics.parts import tolerance
from calm_needle.core.quantities import format_db, format_si
from calm_needle.core.verdict import State, Verdict

Kind = Literal["resistor", "capacitor", "winding", "control", "insulation", "contact", "device"]
UNITS: dict[str, str] = {
    "resistor": "Ω",
    "capacitor": "F",
    "winding": "Ω",
    "control": "Ω",
    "insulation": "Ω",
    "contact": "Ω",
    "device": "%",
}
AT_LEAST, AT_MOST = ("insulation", "device"), ("contact",)  # kinds with one limit: the drawn value is the limit
# What a usual bench meter is sure to: of the reading (%), and at least (in the unit). A few picofarads are the leads'.
METER: dict[str, tuple[float, float]] = {"resistor": (1.0, 0.2), "capacitor": (2.0, 2e-12), "winding": (1.0, 0.2), "control": (1.0, 0.2)}
SAME_MARK = 0.02  # two values nearer than this are one value
NEAR = 1.5  # times the tolerance
PASSES_OF_WEAK = 2  # sweeps that a kind known to be weak must pass; one lucky one clears nothing


class Part(NamedTuple):
    """A part as the papers have it: its region of the chassis, the can it is a section of, whether its kind is known to be weak, its
    stage, and the part whose insulation it is.
    """

    id: str
    kind: str
    name: str
    nominal: float
    tolerance_percent: float
    region: str
    can: str
    weak: bool
    stage: str = ""
    of: str = ""


class Measured(NamedTuple):
    """One measurement: the value (SI; infinite for open), whether in circuit, whether the part was new then, what is printed on it."""

    value: float
    in_circuit: bool
    replaced: bool
    marked: float | None = None


class Tally(NamedTuple):
    """How many of a region: all, in, near, out, not said, still blank."""

    parts: int
    inside: int
    near: int
    out: int
    unsaid: int
    blank: int


def judge_part(part: Part, measured: Sequence[Measured]) -> Verdict:
    """Return the verdict on a part after its measurements, in order; those before it was replaced no longer count."""
    since = [m for i, m in enumerate(measured) if not any(later.replaced for later in measured[i + 1 :])]
    if not since:
        return Verdict("blank", "")
    last = since[-1]
    if part.kind in (*AT_LEAST, *AT_MOST):
        return _judge_limit(part, last.value)
    if math.isinf(last.value):
        return Verdict("out", "Open.")
    said = _judge_value(part, since)
    marked = next((m.marked for m in reversed(since) if m.marked), None)
    if marked and abs(marked / part.nominal - 1.0) > SAME_MARK:
        other = f"Marked {shown(part, marked)}, drawn {shown(part, part.nominal)}: another value is fitted."
        return Verdict("near" if said.state == "in" else said.state, f"{other} {said.sentence}")
    return said


def _judge_limit(part: Part, value: float) -> Verdict:
    """The verdict on a kind with one limit: insulation and emission at least so much, a contact at most."""
    limit = shown(part, part.nominal)
    good, near = (
        (value >= part.nominal, value * NEAR >= part.nominal)
        if part.kind in AT_LEAST
        else (value <= part.nominal, value <= part.nominal * NEAR)
    )
    words = f"{shown(part, value)}, {'at least' if part.kind in AT_LEAST else 'at most'} {limit}."
    return Verdict("in" if good else "near" if near else "out", words)


def _judge_value(part: Part, since: Sequence[Measured]) -> Verdict:
    last = since[-1]
    percent, least = METER[part.kind]
    unsure = max(percent, 100.0 * least / last.value if last.value else 100.0)
    found = tolerance(nominal=part.nominal, measured=last.value, tolerance_percent=part.tolerance_percent, meter_percent=min(unsure, 1e6))
    said = f"{format_db(found.deviation_percent)}\u00a0%"
    if "cannot say" in found.verdict:
        return Verdict("cannot say", f"{said}, but the meter is sure to {unsure:.0f}\u00a0% only.")
    if not found.within:
        if last.in_circuit and last.value < part.nominal and part.kind != "capacitor":
            return Verdict("cannot say", f"{said} in circuit, where others lie across it: lift one end.")
        state: State = "near" if abs(found.deviation_percent) <= NEAR * part.tolerance_percent else "out"
        return Verdict(state, f"{said}, allowed ± {part.tolerance_percent:g}\u00a0%.")
    if once_only(part, since):
        return Verdict("cannot say", f"{said}. A kind known to be weak: one pass clears nothing, measure it again another day.")
    return Verdict("in", f"{said}.")


def once_only(part: Part, measured: Sequence[Measured]) -> bool:
    """Return whether a part of a kind known to be weak was within its tolerance when last measured, but not yet often enough.

    measured: in order, none from before it was replaced.
    """
    within = [abs(m.value / part.nominal - 1.0) * 100.0 <= part.tolerance_percent for m in measured if part.kind in METER]
    return part.weak and bool(within) and within[-1] and sum(within) < PASSES_OF_WEAK


def tally(verdicts: Iterable[Verdict]) -> Tally:
    """Return how many verdicts there are of each kind."""
    states = [v.state for v in verdicts]
    return Tally(len(states), *(states.count(s) for s in ("in", "near", "out", "cannot say", "blank")))


def judge_sweep(parts: Sequence[Part], verdicts: Mapping[str, Verdict]) -> Verdict:
    """Return what the sweep says as a whole. A can with one bad section is replaced whole: its other sections are as old."""
    cans = []
    for can in dict.fromkeys(p.can for p in parts if p.can):
        bad = [p.id for p in parts if p.can == can and verdicts[p.id].state == "out"]
        if bad:
            are = "is" if len(bad) == 1 else "are"
            cans.append(f"{can}: {' and '.join(bad)} {are} bad, so replace the whole can; its sections are of one age.")
    counted = tally(verdicts.values())
    if counted.out:
        names = "; ".join(p.name for p in parts if verdicts[p.id].state == "out")
        return Verdict("watch", f"To be replaced before aligning: {names}.", tuple(cans))
    if counted.blank or counted.unsaid:
        left = ", ".join(f"{n} {w}" for n, w in ((counted.blank, "to be measured"), (counted.unsaid, "undecided")) if n)
        return Verdict("watch", f"{counted.inside + counted.near} of {counted.parts} parts are sound; {left}.", ())
    near = f", {counted.near} of them marginal" if counted.near else ""
    return Verdict("good", f"All {counted.parts} parts are sound{near}.", ())


def shown(part: Part, value: float) -> str:
    """Return a value of a part as it is shown."""
    return "open" if math.isinf(value) else format_si(value, unit=UNITS[part.kind], digits=3)
