"""Does the strip stand where its papers want it? Told from the swept response, which sees what no turning of one core at one frequency can.

A pair that is coupled too closely has two crests in frequency; peaked core by core it settles on one of them. Over the turns of one core
its response is one parabola all the same, so only the centre and the symmetry of the sweep show it.
"""

from typing import Any, NamedTuple

from calm_needle.core.dossier.model import Model
from calm_needle.core.physics.passband import Passband

NEAR = 0.05  # of the frequency, within which a specification is about it
LOPSIDED = 0.25  # of the width, by which the two sides may differ


class OffCentre(NamedTuple):
    """What is wrong with a response: a sentence with its figures, and what is behind it."""

    sentence: str
    evidence: str


class SoFar(NamedTuple):
    """What a run has done before a step: whether anything was turned in it, and the names of adjusters that showed no peak."""

    turned: bool = True
    no_peak: tuple[str, ...] = ()


AS_YET = SoFar()


def off_centre(model: Model, band: Passband, *, source_hz: float, so_far: SoFar = AS_YET) -> OffCentre | None:
    """Return what is wrong with a response by the dossier's intermediate frequency, or None where it is right or nothing is specified."""
    wanted = next((s for s in model.specifications if _about(s, source_hz)), None)
    if wanted is None or band.centre_hz is None or band.width_hz is None or band.low_hz is None or band.high_hz is None:
        return None
    nominal, tolerance = float(wanted["nominal_hz"]), float(wanted["tolerance_hz"])
    # The middle between the edges: on the flat top of a response the crest itself is the needle's unrest.
    off = band.centre_hz - nominal
    if abs(off) <= tolerance:
        return None
    sides = ((band.high_hz - band.peak_hz) - (band.peak_hz - band.low_hz)) / band.width_hz
    if not so_far.turned:
        why = "That is how it was found. Nothing has been turned yet."
    elif so_far.no_peak:
        names, has = " and ".join(so_far.no_peak), "has" if len(so_far.no_peak) == 1 else "have"
        why = f"{names} {has} no peak, so that circuit stays off tune. Find out why before another round."
    elif abs(sides) > LOPSIDED:
        why = (
            f"Its sides are unequal (crest {band.peak_hz / 1e3:.2f}, edges {band.low_hz / 1e3:.2f} and {band.high_hz / 1e3:.2f} kHz): "
            "a pair coupled too closely settles on one of two humps. Peak each core with its partner damped, or shape it by the sweep."
        )
    else:
        why = "All cores stand to one side; go round once more at exactly the intermediate frequency."
    return OffCentre(f"The middle of the response is {abs(off):.0f} Hz {'high' if off > 0 else 'low'}; {tolerance:g} Hz is allowed.", why)


def _about(specification: Any, source_hz: float) -> bool:
    nominal = specification.get("nominal_hz")
    return bool(nominal and "tolerance_hz" in specification and abs(nominal - source_hz) <= NEAR * source_hz)
