"""The chassis map of one set: what the papers put where, what was found where, who stands beside whom, and what is still missing."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

from calm_needle.core.dossier.model import Adjuster, Landmark, Model, Side

KINDS = ("core", "trimmer", "padder", "trap", "preset", "test point")
SAME_PLACE_MM = 4.0
CLOSE_MM = (44.0, 14.0)  # across and along: labels of two marks as close as this would lie over each other
MIRROR_MM = 6.0  # a core seen from below at the place of one above is the other end of the same can
NEIGHBOURS = 2


class Mark(NamedTuple):
    """Something found: its label (the papers' or the finder's own), kind, side, place (mm from left and back, seen from above), remarks."""

    label: str
    kind: str
    side: Side
    x_mm: float
    y_mm: float
    remarks: str


class Count(NamedTuple):
    """Of one kind: how many on paper, how many found, and which of the paper's were not."""

    kind: str
    on_paper: int
    found: int
    missing: tuple[str, ...]


def counts(model: Model, marks: Sequence[Mark]) -> list[Count]:
    """Return for each kind how many are on paper and how many were found; kinds of which there are none are left out."""
    out = []
    for kind in KINDS:
        paper = [a.id for a in model.adjusters if a.kind == kind]
        found = [m.label for m in marks if m.kind == kind]
        if paper or found:
            out.append(Count(kind, len(paper), len(found), tuple(p for p in paper if p not in found)))
    return out


def count_sentence(model: Model, marks: Sequence[Mark], moved: Sequence[str] = ()) -> str:
    """Return one sentence on what was found against what is on paper. moved: adjusters that were moved and are not back at their marks."""
    if strangers := strangers_moved(model, moved):
        return f"Moved, and on no paper: {', '.join(strangers)}. Back to its mark first; if it has none, mark it, and find out whose it is."
    if not marks:
        return "Nothing found yet: mark each adjuster where it is, before it is turned."
    missing = [label for count in counts(model, marks) for label in count.missing]
    known = {a.id for a in model.adjusters}
    own = [m.label for m in marks if m.label not in known and m.kind != "test point"]
    parts = []
    if missing:
        parts.append(f"On paper and not found: {', '.join(missing)}. Look under wax, lids and on the other side.")
    if own:
        parts.append(f"Found and not on paper: {', '.join(own)}. It may belong to another system: not turned before it is known.")
    return " ".join(parts) or "All that is on paper was found, and nothing besides."


def strangers_moved(model: Model, moved: Sequence[str]) -> list[str]:
    """Return, of the adjusters that were logged as moved, those that no paper lists: of another system, or not known."""
    known = {words.lower() for a in model.adjusters for words in (a.id, a.name)}
    return [label for label in dict.fromkeys(moved) if label.strip().lower() not in known]


def region_at(model: Model, *, x_mm: float, y_mm: float) -> str:
    """Return how one calls a place on the chassis (mm from left and back, seen from above): the region it lies in, or what it is beside."""
    for r in model.regions:
        if r["x_mm"] <= x_mm <= r["x_mm"] + r["width_mm"] and r["y_mm"] <= y_mm <= r["y_mm"] + r["depth_mm"]:
            return str(r["name"])
    if not model.landmarks:
        return ""

    def away(m: Landmark) -> float:
        wide, deep = (0.0, 0.0) if m.shape == "round" else (m.width_mm / 2.0, m.depth_mm / 2.0)
        return math.dist((x_mm, y_mm), (m.x_mm + wide, m.y_mm + deep))

    return f"beside {min(model.landmarks, key=away).label}"


def neighbours(label: str, marks: Sequence[Mark]) -> list[str]:
    """Return, in words, what stands beside a mark on its side of the chassis, nearest first, and what is at its place on the other."""
    here = next(m for m in marks if m.label == label)
    beside = sorted(
        (m for m in marks if m.side == here.side and m.label != label),
        key=lambda m: math.hypot(m.x_mm - here.x_mm, m.y_mm - here.y_mm),
    )
    out = [f"{m.label} {_way(here, m)}" for m in beside[:NEIGHBOURS]]
    through = [m.label for m in marks if m.side != here.side and math.hypot(m.x_mm - here.x_mm, m.y_mm - here.y_mm) <= MIRROR_MM]
    return out + [f"{t} on the other side of the same place" for t in through]


def label_place(mark: Mark, marks: Sequence[Mark]) -> str:
    """Return where a mark's label has room as one looks at its side: above it, or left or right of it where another is close by."""
    beside = [
        o
        for o in marks
        if o.label != mark.label and o.side == mark.side and abs(o.x_mm - mark.x_mm) < CLOSE_MM[0] and abs(o.y_mm - mark.y_mm) < CLOSE_MM[1]
    ]
    if not beside:
        return "above"
    nearest = min(beside, key=lambda o: abs(o.x_mm - mark.x_mm))
    on_its_left = (mark.x_mm, mark.label) < (nearest.x_mm, nearest.label)
    return "left" if on_its_left == (mark.side == "above") else "right"


def too_near(mark: Mark, marks: Sequence[Mark]) -> str | None:
    """Return the label of another mark at the same place, or None: two adjusters cannot stand in one hole."""
    for other in marks:
        apart_mm = math.hypot(other.x_mm - mark.x_mm, other.y_mm - mark.y_mm)
        if other.label != mark.label and other.side == mark.side and apart_mm < SAME_PLACE_MM:
            return other.label
    return None


def with_places(model: Model, marks: Sequence[Mark]) -> Model:
    """Return the model with its adjusters where they were found on this set."""
    found: Mapping[str, Mark] = {m.label: m for m in marks}
    if not any(a.id in found for a in model.adjusters):
        return model
    return replace(model, adjusters=tuple(_moved(a, found[a.id]) if a.id in found else a for a in model.adjusters))


def _moved(adjuster: Adjuster, mark: Mark) -> Adjuster:
    return replace(adjuster, side=mark.side, x_mm=mark.x_mm, y_mm=mark.y_mm, remarks=mark.remarks or adjuster.remarks)


def _way(here: Mark, there: Mark) -> str:
    """Where it lies as one looks at that side, front towards oneself."""
    dx = (there.x_mm - here.x_mm) * (1.0 if here.side == "above" else -1.0)
    dy = there.y_mm - here.y_mm
    if abs(dx) > abs(dy):
        return f"{abs(dx):.0f} mm to the {'right' if dx > 0 else 'left'}"
    return f"{abs(dy):.0f} mm {'nearer' if dy > 0 else 'further back'}"
