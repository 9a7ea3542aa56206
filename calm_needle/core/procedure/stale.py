"""What depends on what: which results no longer stand once something was turned, mended, refitted or found wrong.

An adjuster tunes a circuit; a group of steps stands on circuits that others turn, on stages, on covers and on the reference:

    IF transformer ──▶ dial of every band ──▶ front end of that band ──▶ verification
    stage of a part ──▶ every group that the dossier says it invalidates, and first power and health
    covers ──▶ what was set with them off          generator's reference ──▶ whatever was set to a frequency

What stands on what changed is stale, with the reason in words, and is what a run begun anew leads through again.
"""

from collections.abc import Collection, Iterable
from typing import Literal, NamedTuple

from calm_needle.core.dossier.model import Group, Model
from calm_needle.core.procedure.kinds.table import KINDS

ChangeKind = Literal["turned", "mended", "cleaned", "covers", "reference"]
STILL_TURNS = 0.02  # an adjuster that came back to within so much was not turned
EVERYTHING = ("verification",)  # phases whose groups stand on every circuit


class Change(NamedTuple):
    """Something that was changed: an adjuster by its id, a part with its stage (empty where nobody knows it); how one says it.

    mended: under the iron. cleaned: cleaned or moved, so only what is tuned may have moved.
    """

    kind: ChangeKind
    name: str
    words: str
    stage: str = ""


class Stale(NamedTuple):
    """A phase whose results no longer stand, why, and which of its groups (none: the phase as a whole)."""

    phase: str
    why: str
    groups: tuple[str, ...] = ()


def made_stale(model: Model, changes: Iterable[Change], *, done: Collection[str]) -> list[Stale]:
    """Return which of the phases that are done these changes put in doubt, in the order of the work, each once with its first reason."""
    out: dict[str, Stale] = {}

    def add(phase: str, why: str, group: str | None = None) -> None:
        known = out.get(phase, Stale(phase, why))
        groups = known.groups if group is None or group in known.groups else (*known.groups, group)
        out[phase] = known._replace(groups=groups)

    for change in changes:
        if change.kind == "mended":
            add("safe start", f"{change.words}: first power again is behind the limiter")
            add("health", f"{change.words}: the bands are heard again")
        for group in model.groups:
            if stands_on(model, group, change):
                add(group.phase, f"{change.words}, which {group.title} depends on", group.id)
    return [stale for phase, stale in out.items() if phase in done]


def stands_on(model: Model, group: Group, change: Change) -> bool:
    """Whether a group's results stand on what was changed."""
    match change.kind:
        case "turned":
            return circuit_of(model, change.name) in _grounds(model, group)
        case "covers":
            return any(step.set_up.cover == "off" for step in group.steps)
        case "reference":
            return any(step.set_up.source for step in group.steps)
    if not change.stage:
        return not measures_only(group)
    return change.stage in group.invalidated_by or (change.stage == model.oscillator_stage() and _hears_the_oscillator(model, group))


def _hears_the_oscillator(model: Model, group: Group) -> bool:
    """Whether a group tunes a band's oscillator, or circuits that follow it: whatever its dossier says, it stands on that stage."""
    own = {circuit_of(model, a).partition(" ")[0] for step in group.steps for a in step.adjusters}
    return bool(own & {"oscillator", "signal"})


def measures_only(group: Group) -> bool:
    """Whether a group only measures the set as it stands, before and after."""
    return all(step.kind in KINDS and KINDS[step.kind].compares for step in group.steps)


def circuit_of(model: Model, adjuster_id: str) -> str:
    """Return the circuit that an adjuster tunes: an IF transformer, the oscillator or the signal tanks of a band, or its own."""
    adjuster = model.adjuster(adjuster_id)
    if adjuster.transformer:
        return f"IF {adjuster.transformer}"
    for band in model.bands:
        for point in band.tracking:
            if point.get("oscillator") == adjuster_id:
                return f"oscillator {band.id}"
            if adjuster_id in point.get("signal", ()):
                return f"signal {band.id}"
    return f"adjuster {adjuster_id}"


def touches_band(model: Model, adjuster_id: str, band_id: str) -> bool:
    """Whether turning an adjuster invalidates what was measured on a band: one that serves bands, on those alone; the IF and any other, on
    all. An empty band is the whole set."""
    serves = {
        band.id
        for band in model.bands
        for point in band.tracking
        if adjuster_id == point.get("oscillator") or adjuster_id in point.get("signal", ())
    }
    return not serves or not band_id or band_id in serves


def _grounds(model: Model, group: Group) -> set[str]:
    """The circuits that a group's results stand on, its own apart: turning those is what the group is there for."""
    own = {circuit_of(model, a) for step in group.steps for a in step.adjusters}
    everything = {circuit_of(model, a.id) for a in model.adjusters}
    if group.phase in EVERYTHING:
        return everything
    grounds: set[str] = set()
    for circuit in own:
        kind, _, band = circuit.partition(" ")
        if kind == "oscillator":
            grounds |= {c for c in everything if c.startswith("IF ")}
        elif kind == "signal":
            grounds.add(f"oscillator {band}")
    return grounds - own
