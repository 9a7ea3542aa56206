"""Whether the steps of a dossier fit the set it describes: a frequency in none of its bands, a modulation that nothing in it hears."""

from typing import NamedTuple

from calm_needle.core.dossier.model import Model, Step, circuits
from calm_needle.core.quantities import format_plain, format_si

NEAR_SHARE = 0.1  # of an intermediate frequency, and beyond a band's ends
AM_DETECTOR, HEARS_FM = "envelope", ("discriminator", "ratio detector", "product detector")  # kinds of a detector's circuit


class Misfit(NamedTuple):
    """A step that does not fit the set: its id and title, and why."""

    step_id: str
    title: str
    why: str


def misfits(model: Model) -> list[Misfit]:
    """Return the steps that do not fit the set, in the order of the procedure; empty for a dossier that is of one piece."""
    ranges = [(band.f_low_hz, band.f_high_hz) for band in model.bands]
    centres = {band.if_hz for band in model.bands} | {f["if_hz"] for f in model.raw["intermediate_frequencies"]}
    kinds = {str(c.get("kind", "")) for s in model.raw["stages"] for c in circuits(s)}
    hears_fm = AM_DETECTOR not in kinds or bool(kinds & set(HEARS_FM))
    ranges += [(f * (1.0 - NEAR_SHARE), f * (1.0 + NEAR_SHARE)) for f in centres]
    out = []
    for step in (s for group in model.groups for s in group.steps):
        if why := _why(step, ranges, hears_fm=hears_fm, battery=model.safety_class == "battery"):
            out.append(Misfit(step.id, step.title, why))
    return out


def set_card(model: Model) -> list[str]:
    """Return what one keeps in the head of a set, a line each: kind and technology, intermediate frequencies, bands with their limits."""
    frequencies = ", ".join(format_plain(f["if_hz"], unit="Hz") for f in model.raw["intermediate_frequencies"])
    bands = [f"{b.name}, {format_plain(b.f_low_hz, unit='Hz')} to {format_plain(b.f_high_hz, unit='Hz')}" for b in model.bands]
    conversions = {1: "single", 2: "double", 3: "triple"}.get(len(model.raw["intermediate_frequencies"]), "several")
    return [f"{model.kind}, {model.technology}, {model.safety_class}", f"IF {frequencies}, {conversions} conversion", *bands]


def _why(step: Step, ranges: list[tuple[float, float]], *, hears_fm: bool, battery: bool) -> str:
    source = step.set_up.source
    if source and not any(low * (1.0 - NEAR_SHARE) <= source.frequency_hz <= high * (1.0 + NEAR_SHARE) for low, high in ranges):
        return f"{format_si(source.frequency_hz, unit='Hz')} is neither an intermediate frequency of it nor in any of its bands"
    if source and source.modulation == "FM" and not hears_fm:
        return "it asks for frequency modulation, and no detector of it hears that"
    if battery and "high-volts" in step.hazards:
        return "it warns of high volts, and the set runs from a battery"
    return ""
