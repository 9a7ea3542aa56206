"""carrier: tune in a broadcast carrier whose frequency is known, and read where the pointer stands. No instrument is needed.

Here it is the pointer that is read, to a fraction of a millimetre, and the frequency that is known.
"""

from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.physics.superhet import what_is_heard
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import SaidOfTheDial, StepKind
from calm_needle.core.procedure.kinds.level import NEEDS_READING
from calm_needle.core.procedure.kinds.receives import off_in_words, report
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_plain, format_si


class CarrierJudge:
    """aim: mark_hz (the carrier's frequency), if_hz, sign, sigma_hz (how well pointer and carrier are known together), name."""

    def __init__(self, step: Step, context: Context) -> None:
        self._series, self._aim = context.series, step.aim

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        carrier_hz, sigma_hz = float(self._aim["mark_hz"]), float(self._aim["sigma_hz"])
        shown = format_plain(carrier_hz, unit="Hz", digits=6)
        if not self._series.watched:
            said = f"Tune in {self._aim['name']}, {shown}, and type where the pointer stands."
            why = "Where it is loudest and its bass deepest: beside it the treble comes up. Make sure by its name that it is this one."
            return Standing("waiting", Advice("calm", "measure", said, why), Move("read"), refusal=NEEDS_READING)
        dial_hz = self._series.watched[-1].value
        at = format_plain(dial_hz, unit="Hz", digits=5)
        if dial_hz <= 0.0:
            advice = Advice("danger", "stop", "A dial has no such place.", "Type what the scale says under the pointer.")
            return Standing("nowhere", advice, Move("read"), refusal="There is nothing to take: a dial has no such place.")
        heard = what_is_heard(receives_hz=carrier_hz, mark_hz=dial_hz, if_hz=float(self._aim["if_hz"]), sign=int(self._aim["sign"]))
        detail: dict[str, Any] = {
            "receives_hz": carrier_hz,
            "dial_hz": dial_hz,
            "sigma_hz": sigma_hz,
            "heard": heard,
            "carrier": self._aim["name"],
        }
        figure = Figure(dial_hz, sigma_hz, "Hz")
        where = f"With the pointer at {at} the set receives {shown}."
        if heard != "signal":
            advice = Advice("danger", "stop", f"With the pointer there {self._aim['name']} comes in as an image.", where)
            doubt = "An image says nothing of the dial. Take it all the same?"
            return Standing(heard, advice, Move("rest"), doubt=doubt, figure=figure, detail=detail)
        off = off_in_words(mark_hz=dial_hz, receives_hz=carrier_hz)
        good = f"{where} That is {off} off the scale, to {format_si(sigma_hz, unit='Hz', digits=2)}."
        return Standing(
            "found", Advice("good", "measure", "Found. Take it.", good), Move("rest"), may_take=True, figure=figure, detail=detail
        )


def said_of_the_dial(_: Step, detail: Any) -> SaidOfTheDial | None:
    """Return that with the pointer where it was read the set receives the carrier."""
    return SaidOfTheDial(detail["receives_hz"], detail["sigma_hz"], detail["dial_hz"]) if "dial_hz" in detail else None


KIND = StepKind(
    "carrier",
    "Read the pointer at a known carrier",
    CarrierJudge,
    sign="measure",
    reads="offset",
    needs=("indicator", "aim.mark_hz", "aim.if_hz", "aim.sign", "aim.sigma_hz", "aim.name"),
    report=report,
    asks="Where the pointer stands",
    dial=said_of_the_dial,
)
