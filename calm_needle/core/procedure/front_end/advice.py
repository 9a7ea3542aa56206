"""The front end, band by band: where the set receives with the pointer on each point of the papers, then each signal circuit there.

The generator stands where the set listens and not where the mark says, so a dial error that was left costs the circuits nothing.
Order and adjusters are the dossier's: low by core, high by trimmer, the aerial's last; a band with both ends is gone round until a round
gains nothing.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from calm_needle.core.dossier.model import TUNING_ID, Group, Model
from calm_needle.core.dossier.read import resolved_group
from calm_needle.core.physics.dial_fit import Reading, fit
from calm_needle.core.physics.signal_tracking import Tracked, tracked
from calm_needle.core.procedure.decision import Decision, Option
from calm_needle.core.procedure.dial.band import DialBand, dial_bands
from calm_needle.core.procedure.dial.evidence import evidence_of
from calm_needle.core.procedure.dial.words import error_words, mark
from calm_needle.core.procedure.front_end.steps import PHASE, own_groups
from calm_needle.core.procedure.run import RunState
from calm_needle.errors import CalmNeedleError

REPEAT = {"gain_below_db": 0.1, "most_rounds": 4}
PEAK, OWN, LEAVE, ROCK = "peak", "own", "leave", "rock"
USUAL_Q = 60.0  # of a signal circuit, where the papers give none
# Begun from a strong signal, which the level keeper brings down: circuits far off leave a weak one in the hiss, and hiss has no peak.
BEGINS_AT_V = 20e-3
FAR = 0.25  # of the intermediate frequency, that a reading may lie off its mark before the front end is worth nothing


def front_end_decision(model: Model, state: RunState, group: Group, asked: Mapping[str, Any]) -> Decision:
    """Return how the signal circuits of a band are peaked, now that it is known where the set receives."""
    band = dial_bands(model)[str(group.steps[0].set_up.tuning.band)]
    received = {r.dial_hz: r.receives_hz for r in evidence_of(state.plan, state.visits, band).readings}
    leave = Option(LEAVE, "Leave it as it is", "Nothing is turned on this band.")
    title = f"The front end on {band.band.name}"
    if not received:
        return Decision(title, "Nothing was read on this band.", "Its signal circuits are left as they are.", (leave,), LEAVE, "watch")
    allowed = band.tolerance_percent / 100.0  # what the dial was left at, within it, is not far off here
    far = [f for f, r in received.items() if abs(r - f) > max(FAR * band.drawn.if_hz, allowed * f)]
    number = 1 + sum(g.phase == PHASE and g.id.startswith(f"peak-{band.band.id}-".lower()) for g in state.plan.groups)
    groups = tuple(_peaks(model, raw, received, number) for raw in _raw_groups(model, band))
    steps = tuple(step["title"] for g in groups for step in g["steps"])
    here = "; ".join(
        f"at {mark(f)} it receives {mark(r)} ({error_words(band, dial_hz=f, error_hz=r - f)})" for f, r in sorted(received.items())
    )
    listens_hz = asked.get("listens_hz")
    listened = listens_hz if listens_hz and band.drawn.marks_hz[0] <= listens_hz <= band.drawn.marks_hz[-1] else None
    follows = _follows(model, band, evidence_of(state.plan, state.visits, band).since_turned(), listened)
    ways = [leave, *_rocks(model, band, number)]
    book = served_points(band)
    peak = Option(PEAK, "Peak its circuits", f"In this order: {'. '.join(steps)}.", follows(book), groups=groups, steps=steps)
    if listened and book:
        ways.insert(0, _where_the_owner_listens(model, band, received, number, listens_hz=listened, costs=follows((*book[:-1], listened))))
    if far:
        sentence = f"The dial is far off at {mark(far[0])}: set it first."
        return Decision(title, sentence, f"Read: {here}. What is peaked now would have to be peaked again.", (*ways, peak), LEAVE, "danger")
    many = f"{len(steps)} circuits, each" if len(steps) != 1 else "its circuit"
    sentence = f"Peak {many} where the set receives."
    wanted = next((w.id for w in ways if w.id == asked.get("peaks")), PEAK)
    why = f"Read: {here}.{_by_which_q(model, band) if peak.costs else ''}"
    if wanted != PEAK:
        why += " Where the owner listens, as the house style has it."
    return Decision(title, sentence, why, (peak, *ways), wanted, "live")


def served_points(band: DialBand) -> tuple[float, ...]:
    """Return the places of the dial at which something tunes the signal circuits of a band, rising: where they are peaked."""
    return tuple(sorted(float(p["dial_hz"]) for p in band.band.tracking if p.get("signal")))


def losses(
    model: Model, band: DialBand, readings: Sequence[Reading], *, peaked_hz: Sequence[float], at_hz: Sequence[float]
) -> Tracked | None:
    """Return how the signal circuits follow at places of the dial once they are peaked at others; None where it cannot be told."""
    coil = band.band.signal_tank.get("l_h")
    if not peaked_hz or coil is None:
        return None
    try:
        changes = fit(band.drawn, readings).now if readings else {}
        q, circuits = model.signal_circuits(band.band.id)
        return tracked(band.drawn, at_hz, l_h=float(coil), peaked_hz=peaked_hz, q=q or USUAL_Q, circuits=circuits, changes=changes)
    except CalmNeedleError:
        return None


def _by_which_q(model: Model, band: DialBand) -> str:
    q, _ = model.signal_circuits(band.band.id)
    return f" What is lost is worked out by a Q of {q or USUAL_Q:.0f}{'' if q else ', usual for such circuits'}."


def _follows(
    model: Model, band: DialBand, readings: Sequence[Reading], listens_hz: float | None
) -> Callable[[Sequence[float]], tuple[tuple[str, str], ...]]:
    """What peaking at some places costs at the points of the papers, and where the owner listens, as labels and figures."""
    points = tuple(sorted({*(float(p["dial_hz"]) for p in band.band.tracking), *((listens_hz,) if listens_hz else ())}))

    def costs(peaked_hz: Sequence[float]) -> tuple[tuple[str, str], ...]:
        found = losses(model, band, readings, peaked_hz=peaked_hz, at_hz=points)
        return (
            tuple((f"lost at {mark(f)}", f"{loss:.1f} dB") for f, loss in zip(found.dial_hz, found.loss_db, strict=True)) if found else ()
        )

    return costs


def _where_the_owner_listens(
    model: Model,
    band: DialBand,
    received: Mapping[float, float],
    number: int,
    *,
    listens_hz: float,
    costs: tuple[tuple[str, str], ...],
) -> Option:
    """Peak the high end's adjusters where the owner listens, and not where the papers say."""
    near = min(received, key=lambda f: abs(math.log(f / listens_hz)))
    there_hz = listens_hz * received[near] / near
    groups = tuple(
        _peaks(model, raw, received, number, instead=(served_points(band)[-1], listens_hz, there_hz)) for raw in _raw_groups(model, band)
    )
    steps = tuple(step["title"] for g in groups for step in g["steps"])
    words = f"As the papers have it, but the last of them at {mark(listens_hz)}: nothing is lost there, and more elsewhere."
    return Option(OWN, f"Peak it for {mark(listens_hz)}", words, costs, groups=groups, steps=steps)


def _rocks(model: Model, band: DialBand, number: int) -> list[Option]:
    """The way of rocking, where an end has an oscillator's adjuster and nothing that tunes the signal circuit."""
    for point in band.band.tracking:
        adjuster = point.get("oscillator")
        raw = next(iter(_raw_groups(model, band)), None)
        if not adjuster or point.get("signal") or raw is None:
            continue
        at, a = mark(float(point["dial_hz"])), model.adjuster(adjuster)
        own = {**raw.get("set", {}), **raw["steps"][0].get("set", {})}
        settings = {
            **own,
            "receiver": {**own.get("receiver", {}), "tuning_hz": float(point["dial_hz"])},
            "generator": {**own["generator"], "frequency_hz": float(point["dial_hz"]), "level_v": BEGINS_AT_V},
        }
        step = {
            "id": f"rock-{band.band.id}-{number}".lower(),
            "kind": "rock",
            "title": f"Rock {a.phrase} at {at}",
            "adjusters": [
                {"id": a.id, "role": "turned a little at a time"},
                {"id": TUNING_ID, "role": "swung over the signal, again and again"},
            ],
            "why": f"Turning {a.phrase} moves the signal along the dial, so it is followed by the tuning: the highest of the crests is "
            "where oscillator and aerial circuit agree.",
            "hazards": raw["steps"][0].get("hazards", []),
            "set": settings,
        }
        group = {
            "id": f"rocking-{band.band.id}-{number}".lower(),
            "phase": PHASE,
            "title": f"Rocking on {band.band.name}",
            "steps": [step],
            "derived": {"from": "an end without a signal adjuster", "first": True},
            "invalidated_by": list(raw.get("invalidated_by", [])),
        }
        words = (
            f"Nothing tunes the signal circuit at {at}: the oscillator is brought to it instead, which moves the dial there. "
            "The dial is then stale."
        )
        return [Option(ROCK, f"Rock {a.name}", words, groups=(group,), steps=(str(step["title"]),))]
    return []


def _raw_groups(model: Model, band: DialBand) -> list[Mapping[str, Any]]:
    own = {g.id for g in own_groups(model, band)}
    return [g for g in model.raw["procedure"] if g["id"] in own]


def _peaks(
    model: Model,
    raw: Mapping[str, Any],
    received: Mapping[float, float],
    number: int,
    *,
    instead: tuple[float, float, float] | None = None,
) -> dict[str, Any]:
    """The dossier's group, the generator of each step where the set receives. instead: a point of the papers, the place of the dial that
    takes its place, and where the set receives there (Hz)."""
    whole = resolved_group(raw, model.adjusters)
    steps = []
    for step in whole["steps"]:
        own = step["set"]
        dial_hz = own.get("receiver", {}).get("tuning_hz")
        near = min(received, key=lambda f, at=dial_hz or 0.0: abs(math.log(f / at)) if at else 0.0)  # type: ignore[misc]
        if dial_hz and "generator" in own:
            own = {**own, "generator": {**own["generator"], "frequency_hz": received[near], "level_v": BEGINS_AT_V}}
        if instead and "generator" in own and dial_hz and math.isclose(dial_hz, instead[0], rel_tol=1e-6):
            own = {
                **own,
                "receiver": {**own["receiver"], "tuning_hz": instead[1]},
                "generator": {**own["generator"], "frequency_hz": instead[2]},
            }
            step = {**step, "title": f"{step['title']}, at {mark(instead[1])} where it is listened to"}
        # Named apart from the steps that read the points: a dossier may call its own as those are called.
        steps.append({**step, "id": f"peak-{step['id']}-{number}", "set": own})
    dials = {s["set"].get("receiver", {}).get("tuning_hz") for s in steps}
    band = str(steps[0]["set"].get("receiver", {}).get("band", raw["id"]))
    repeat = {"repeat_until": whole.get("repeat_until", REPEAT)} if len(dials) > 1 else {}
    return {
        **whole,
        **repeat,
        "id": f"peak-{band}-{raw['id']}-{number}".lower(),
        "steps": steps,
        "derived": {"from": "where the set receives at each point", "first": True},
    }
