"""centre: find both edges of a clear range. Done when their middle is the nominal within the tolerance.

An edge is the frequency at which reception turns bad: typed in hertz, or marked while the generator's frequency is known.
"""

from calm_needle.core.dossier.model import Step
from calm_needle.core.physics.frequency import clear_window
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import StepKind, worded
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_si


class CentreJudge:
    """Takes the newest edge below `aim.nominal_hz` and the newest above it."""

    def __init__(self, step: Step, context: Context) -> None:
        self._nominal, self._tolerance = float(step.aim["nominal_hz"]), float(step.aim["tolerance_hz"])
        self._step_hz = float(step.aim.get("step_hz", 0.0))
        self._lower: float | None = None
        self._upper: float | None = None

    def add(self, seen: Seen) -> None:
        edge = seen.value if seen.unit == "Hz" else seen.generator_hz if seen.kind == "marked" else None
        if edge is None or edge == self._nominal:
            return
        if edge < self._nominal:
            self._lower = edge
        else:
            self._upper = edge

    def standing(self, moment: Moment) -> Standing:
        marks = Marks(low=self._nominal - self._tolerance, high=self._nominal + self._tolerance)
        if self._lower is None or self._upper is None:
            name = "lower" if self._lower is None else "upper"
            where = "below" if self._lower is None else "above"
            sentence = f"Find the {name} edge: tune {where} {self._shown(self._nominal)} until it turns bad."
            evidence = "Type the frequency, or mark it."
            if self._lower is not None or self._upper is not None:
                evidence = f"The other is at {self._shown(self._lower or self._upper or 0.0)}. {evidence}"
            refusal = f"Only one edge is known so far; the {name} one is wanted too."
            return Standing("one_edge", Advice("calm", "measure", sentence, evidence), Move("read"), refusal=refusal, marks=marks)
        window = clear_window(nominal_hz=self._nominal, lower_hz=self._lower, upper_hz=self._upper, step_hz=self._step_hz)
        figure = Figure(window.centre_hz, window.uncertainty_hz or None, "Hz")
        detail = {"lower_hz": self._lower, "upper_hz": self._upper, "error_hz": window.error_hz}
        said = f"{self._shown(self._lower)} to {self._shown(self._upper)}, the middle at {self._shown(window.centre_hz)}"
        if abs(window.error_hz) <= self._tolerance:
            advice = Advice(
                "good", "crest", "Centred. Take it.", f"{said}; {abs(window.error_hz):.0f} Hz off, {self._tolerance:.0f} allowed."
            )
            return Standing("centred", advice, Move("rest"), may_take=True, marks=marks, figure=figure, detail=detail)
        side = "high" if window.error_hz > 0 else "low"
        return Standing(
            "off",
            Advice(
                "watch",
                "turn_back",
                f"The middle is {abs(window.error_hz):.0f} Hz {side}.",
                f"{said}; {self._tolerance:.0f} Hz allowed. Turn, and find both edges again.",
            ),
            Move("approach", short=abs(window.error_hz) - self._tolerance),
            doubt=f"The middle is {abs(window.error_hz):.0f} Hz {side} of nominal. Take it all the same?",
            marks=marks,
            figure=figure,
            detail=detail,
        )

    @staticmethod
    def _shown(f_hz: float) -> str:
        return format_si(f_hz, unit="Hz", digits=6)


KIND = StepKind(
    "centre",
    "Centre",
    CentreJudge,
    sign="centre",
    reads="value",
    needs=("indicator", "aim.nominal_hz", "aim.tolerance_hz"),
    label="Edges",
    report=worded({"centred": "centred", "off": "off centre"}),
)
