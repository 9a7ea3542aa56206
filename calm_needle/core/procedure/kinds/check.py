"""check: measure the set as it stands, and its pass-band where the step asks for it. Nothing is turned."""

from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.physics.passband import Passband, passband
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.closing import OffCentre, off_centre
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.level import NEEDS_READING
from calm_needle.core.procedure.series import Seen, Series


class CheckJudge:
    """Wants one reading, and a whole sweep where there is something that can sweep."""

    def __init__(self, step: Step, context: Context) -> None:
        self._series, self._so_far = context.series, context.so_far
        self._sweeps = "passband" in step.measures and step.passband_points > 0
        self._points = step.passband_points
        self._model, source = context.model, step.set_up.source
        self._source_hz = source.frequency_hz if source else None

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        now = self._series.now()
        band = band_of(self._series) if self._sweeps else None
        swept = len(self._series.swept) >= self._points
        detail: dict[str, Any] = {"gain_db": None}
        if band:
            detail["passband"] = {"peak_hz": band.peak_hz, "low_hz": band.low_hz, "high_hz": band.high_hz}
        wants_sweep = self._sweeps and moment.can_sweep and not swept
        wrong = (
            off_centre(self._model, band, source_hz=self._source_hz, so_far=self._so_far) if band and swept and self._source_hz else None
        )
        return Standing(
            "measured" if band and swept else "read" if now else "waiting",
            self._advice(moment, band if swept else None, wrong),
            Move("sweep" if wants_sweep else "rest" if now else "read"),
            may_take=now is not None,
            refusal="" if now else NEEDS_READING,
            figure=Figure(now.value, None, self._series.unit) if now else None,
            detail=detail,
            finding=wrong,
        )

    def _advice(self, moment: Moment, band: Passband | None, wrong: OffCentre | None) -> Advice:
        if moment.sweeping is not None:
            done = f"{100 * moment.sweeping:.0f} % done. Hands off the leads and the set."
            return Advice("live", "measure", "Measuring the pass-band.", done)
        if band and wrong:
            return Advice("watch", "measure", f"Measured. {wrong.sentence}", wrong.evidence)
        if band:
            width = f", {band.width_hz / 1e3:.2f} kHz wide at −6 dB" if band.width_hz else ""
            width += f", its middle at {band.centre_hz / 1e3:.2f} kHz" if band.centre_hz else ""
            return Advice("good", "measure", "Measured. Take it and go on.", f"Highest at {band.peak_hz / 1e3:.2f} kHz{width}.")
        if not self._series.watched:
            return Advice("calm", "measure", "Read the meter.", "Touch no adjuster: this is the set as it stands.")
        if not self._sweeps:
            return Advice("good", "measure", "Take the reading.", "It is kept as the set stands.")
        if moment.can_sweep:
            return Advice("calm", "measure", "Measure the pass-band.", "The generator is stepped over it. Touch no adjuster before.")
        return Advice("good", "measure", "Take the reading.", "The pass-band needs a generator that the program can set; it is left out.")


def band_of(series: Series, *, down_db: float = 6.0) -> Passband | None:
    """Return the pass-band of the swept response, or None while it cannot be told."""
    points = series.response()
    return passband(frequencies_hz=[f for f, _ in points], levels_db=[v for _, v in points], down_db=down_db)


KIND = StepKind("check", "Check", CheckJudge, sign="measure", label="Measure", compares=True)
