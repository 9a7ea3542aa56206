"""What the visits of a run say of a band's dial: readings in their order, and how often each adjuster had been turned by then."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from calm_needle.core.physics.dial_fit import Reading
from calm_needle.core.procedure.dial.band import DialBand
from calm_needle.core.procedure.dial.cover import Covered, CoverShift, as_closed, shift_of
from calm_needle.core.procedure.dial.pointer import Pointer, Return, pointer_from
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.core.procedure.plan import Plan
from calm_needle.core.procedure.run import Visit

TOUCHED = ("take", "no_peak")


class Evidence(NamedTuple):
    """Readings of a band, as they are with its cover on where it is known what that does; the visit of each; adjusters that were tried and
    moved nothing; what the cover does; the same readings as they were shown; how the pointer comes back, where that was measured here."""

    readings: tuple[Reading, ...]
    visits: tuple[int, ...]
    stuck: frozenset[str]
    cover: CoverShift | None = None
    shown: tuple[Covered, ...] = ()
    pointer: Pointer | None = None

    def shown_since_turned(self) -> list[Covered]:
        """Return what the instruments showed since anything was last turned, the last at each mark and cover."""
        last = self.readings[-1].turned if self.readings else {}
        return list({(c.reading.dial_hz, c.on): c for c in self.shown if c.reading.turned == last}.values())

    def since_turned(self) -> list[Reading]:
        """Return the readings taken since anything was last turned."""
        last = self.readings[-1].turned if self.readings else {}
        return [r for r in self.readings if r.turned == last]


def evidence_of(plan: Plan, visits: Sequence[Visit], band: DialBand) -> Evidence:
    """Return what was found on a band. A visit that was gone back on counts for nothing but for what was turned in it."""
    turned: dict[str, int] = dict.fromkeys(band.adjusters, 0)
    readings: list[Covered] = []
    of: list[int] = []
    stuck: set[str] = set()
    returns: list[Return] = []
    for visit in visits:
        if visit.outcome not in TOUCHED:
            continue
        step = plan.step(visit.step_id)
        tuning = step.set_up.tuning
        if tuning.band != band.band.id or tuning.dial_hz is None or step.kind not in KINDS:
            continue
        for part in filter(None, (band.part_of(a) for a in step.adjusters)):
            if visit.outcome == "take":
                turned[part] += 1
            else:
                stuck.add(band.adjusters[part])
        ours = not step.adjusters or any(band.part_of(a) for a in step.adjusters)
        said = KINDS[step.kind].dial(step, visit.detail) if visit.outcome == "take" and not visit.superseded and ours else None
        if said and "returns" in step.aim:
            place_mm = band.place_mm(tuning.dial_hz) + (said.receives_hz - tuning.dial_hz) / band.hz_per_mm(tuning.dial_hz)
            returns.append(Return(step.aim["returns"], place_mm))
        elif said:
            dial_hz = said.dial_hz or tuning.dial_hz
            # Counter or generator know where it receives; where the shaft stands is only known as well as the pointer comes to a mark.
            sigma_hz = math.hypot(said.sigma_hz, band.pointer_hz(dial_hz))
            read = Reading(dial_hz, said.receives_hz, sigma_hz, dict(turned))
            readings.append(Covered(read, None if step.set_up.cover is None else step.set_up.cover == "on"))
            of.append(visit.id)
    shift = shift_of(readings)
    return Evidence(as_closed(band.drawn, readings, shift), tuple(of), frozenset(stuck), shift, tuple(readings), pointer_from(returns))
