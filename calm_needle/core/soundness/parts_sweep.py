"""The sweep of the parts: each measured against its marking, region by region; whole cans, weak kinds, and what cannot be said.

Verdicts are by the part's own tolerance and the meter's. Near: beyond the tolerance by less than half of it again, to be watched.
"""

import math
import re
import statistics
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Literal, NamedTuple

from calm_needle.core.physics.parts import ROUNDING_PERCENT, tolerance
from calm_needle.core.quantities import format_beside, format_db, format_si
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
# The same once the leads were read too: the least, for two readings of one meter.
ZEROED: dict[str, float] = {"resistor": 0.07, "capacitor": 0.7e-12, "winding": 0.07, "control": 0.07}
SAME_MARK = 0.02  # two values nearer than this are one value
NEAR = 1.5  # times the tolerance
WITHOUT_LEADS = 50.0  # times the leads' share, below which a value is said to be without it
OTHER_VALUE = 0.35  # of the drawn one, up to which another that is fitted may be a production change
# Parts from which a kind is spoken of as a class, the least share of all of that kind, and how far their median is then off.
CLASS_FROM, CLASS_SHARE, CLASS_PERCENT = 4, 1.0 / 3.0, 5.0
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
    """One measurement: the part's own value (SI; infinite for open), whether in circuit, whether the part was new then, what is printed on
    it; leads: what was taken off for the meter's leads (SI), zero where they were not read.
    """

    value: float
    in_circuit: bool
    replaced: bool
    marked: float | None = None
    leads: float = 0.0


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
    new_at = next((i for i in range(len(measured) - 1, -1, -1) if measured[i].replaced), 0)
    since = measured[new_at:]
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
        return _judge_other_value(part, last, marked, said)
    return said


def _judge_other_value(part: Part, last: Measured, marked: float, said: Verdict) -> Verdict:
    """The verdict on a part that is marked otherwise than it is drawn: against both, and whether to replace it, leave it, or ask."""
    off = 100.0 * (last.value / marked - 1.0)
    fitted = f"Marked {shown(part, marked)}, drawn {shown(part, part.nominal)}: another value is fitted"
    other = f"{fitted}, {format_beside(off, 'its marking')}."
    if abs(off) > part.tolerance_percent * NEAR:
        return Verdict("out", f"{other} It has left its own marking too: replace it, by what is drawn.")
    if said.state == "in":
        return Verdict("near", f"{other} Within what is drawn all the same: leave it.")
    change = f"{other} Sound, and {said.sentence.rstrip('.')} beside the drawing: a production change, or somebody’s."
    state: State = "near" if abs(marked / part.nominal - 1.0) <= OTHER_VALUE else said.state
    return Verdict(state, f"{change} Ask before it is replaced.")


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
    least = ZEROED[part.kind] if last.leads else least
    unsure = max(percent, 100.0 * least / last.value if last.value else 100.0)
    found = tolerance(nominal=part.nominal, measured=last.value, tolerance_percent=part.tolerance_percent, meter_percent=min(unsure, 1e6))
    said = f"{format_db(found.deviation_percent)}\u00a0%"
    if last.leads and last.leads * WITHOUT_LEADS > last.value:
        said += f" without the leads’ {shown(part, last.leads)}"
    if "cannot say" in found.verdict:
        return Verdict("cannot say", f"{said}, but the meter’s uncertainty (95 %) is {unsure:.0f}\u00a0%.")
    if not found.within:
        if last.in_circuit and last.value < part.nominal and part.kind != "capacitor":
            return Verdict("cannot say", f"{said} in circuit, where others lie across it: lift one end.")
        state: State = "near" if abs(found.deviation_percent) <= NEAR * part.tolerance_percent + ROUNDING_PERCENT else "out"
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


class Class(NamedTuple):
    """How the parts of one kind have aged together: how many were measured of how many, the median and the spread of how far they are off
    (%), the worst part with how far it is off."""

    kind: str
    measured: int
    of: int
    median_percent: float
    spread_percent: float
    worst: str
    worst_percent: float

    @property
    def words(self) -> str:
        """How one says it; with what it makes of those that were not measured."""
        median, worst = (f"{format_db(p)}\u00a0%" for p in (self.median_percent, self.worst_percent))
        said = f"{self.measured} of {self.of} {self.kind}s: median {median}, spread {self.spread_percent:.1f}\u00a0%"
        said += f", worst {self.worst} {worst}."
        chance = 1.5 * self.spread_percent / math.sqrt(self.measured)
        enough = self.measured >= max(CLASS_FROM, CLASS_SHARE * self.of)
        if enough and abs(self.median_percent) > max(CLASS_PERCENT, chance):
            return f"{said} They have drifted as a class: those still to be measured probably have too."
        return said


def classes(parts: Sequence[Part], values: Mapping[str, float], *, new: Collection[str] = ()) -> list[Class]:
    """Return how each kind whose value is drawn has aged, of those that were measured (by part, SI). Open ones count for nothing, nor do
    new ones, which have not aged."""
    out = []
    parts = [p for p in parts if p.id not in new]
    for kind in METER:
        off = {
            p.id: 100.0 * (values[p.id] / p.nominal - 1.0)
            for p in parts
            if p.kind == kind and p.id in values and math.isfinite(values[p.id])
        }
        if len(off) >= 2:
            worst = max(off, key=lambda name: abs(off[name]))
            of = sum(p.kind == kind for p in parts)
            out.append(Class(kind, len(off), of, statistics.median(off.values()), statistics.stdev(off.values()), worst, off[worst]))
    return out


def beside(parts: Sequence[Part], touched: Collection[str], places: Collection[str]) -> set[str]:
    """Return the parts that stand beside what was changed, or where earlier hands have been: of one region with it, and suspect too.

    touched: parts that were changed; places: what was written of where earlier hands have been.
    """
    regions = {p.region for p in parts if p.id in touched}
    regions |= {p.region for p in parts for place in places if p.region.lower() in place.lower() or _named(p, place)}
    return {p.id for p in parts if p.region in regions and p.id not in touched}


def _named(part: Part, words: str) -> bool:
    return part.id.lower() in re.findall(r"[a-z0-9-]+", words.lower())


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
        noun = "part is" if counted.parts == 1 else "parts are"
        return Verdict("watch", f"{counted.inside + counted.near} of {counted.parts} {noun} sound; {left}.", ())
    near = f", {counted.near} of them marginal" if counted.near else ""
    return Verdict("good", f"All {counted.parts} parts are sound{near}." if counted.parts > 1 else f"The one part is sound{near}.", ())


def shown(part: Part, value: float) -> str:
    """Return a value of a part as it is shown."""
    return "open" if math.isinf(value) else format_si(value, unit=UNITS[part.kind], digits=3)
