"""receives: with the pointer on a mark, find where the set listens. Nothing is turned.

Read off the oscillator, by a counter and a loose loop: what it receives then lies an intermediate frequency beside it. Or typed, as the
generator's frequency at which the set is loudest. Either way it is asked whether that is the signal, its image, or the intermediate
frequency itself, before it counts.
"""

import statistics
from collections.abc import Mapping
from typing import Any, Literal

from calm_needle.core.dossier.model import Step
from calm_needle.core.physics.superhet import Heard, what_is_heard
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import SaidOfTheDial, StepKind
from calm_needle.core.procedure.kinds.level import NEEDS_READING
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_plain, format_si, format_signed

STEADY_READINGS = 5  # of a counter, that agree
AGREE_SHARE = 2e-5
READ_TO_HZ, TYPED_TO_HZ = 20.0, 200.0  # how well either way finds it, at the least
TYPED_TO_SHARE = 1e-4
DEAD_HZ = 1e3  # a counter that counts less has nothing to count

Reads = Literal["oscillator", "signal"]


class ReceivesJudge:
    """aim: mark_hz, if_hz, sign (+1 oscillator above), centre: what is read where the dial is right; reads: oscillator or signal."""

    def __init__(self, step: Step, context: Context) -> None:
        aim = step.aim
        self._series, self._mark_hz, self._if_hz, self._sign = context.series, float(aim["mark_hz"]), float(aim["if_hz"]), int(aim["sign"])
        self._reads: Reads = aim.get("reads", "oscillator")

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        seen = self._series.watched
        if not seen:
            said = (
                "Read the counter." if self._reads == "oscillator" else "Swing the generator about the mark, and type where it is loudest."
            )
            advice = Advice("calm", "measure", said, "The pointer stands on the mark; nothing is turned.")
            return Standing("waiting", advice, Move("read"), refusal=NEEDS_READING)
        value = seen[-1].value if seen[-1].alone else statistics.median(r.value for r in seen[-STEADY_READINGS:])
        if value < DEAD_HZ:
            advice = Advice(
                "danger",
                "stop",
                "The oscillator is not heard here.",
                "Bring the loop nearer. If it stays so here and not elsewhere, the coverage of the bands tells gang and valve apart.",
            )
            nothing = (f"The oscillator is not heard with the pointer at {self._mark()}.", "The counter counts nothing there.")
            return Standing("dead", advice, Move("rest"), refusal="There is nothing to take: the counter counts nothing.", nothing=nothing)
        receives_hz = value - self._sign * self._if_hz if self._reads == "oscillator" else value
        heard = what_is_heard(receives_hz=receives_hz, mark_hz=self._mark_hz, if_hz=self._if_hz, sign=self._sign)
        sigma_hz = READ_TO_HZ if self._reads == "oscillator" else max(TYPED_TO_HZ, TYPED_TO_SHARE * self._mark_hz)
        detail: dict[str, Any] = {"receives_hz": receives_hz, "sigma_hz": sigma_hz, "mark_hz": self._mark_hz, "heard": heard}
        figure = Figure(receives_hz, sigma_hz, "Hz")
        where = f"With the pointer at {self._mark()} the set receives {format_plain(receives_hz, unit='Hz', digits=6)}."
        if heard != "signal" and self._reads == "signal":
            sentence, doubt = self._not_the_signal(heard, receives_hz)
            return Standing(heard, Advice("danger", "stop", sentence, where), Move("rest"), doubt=doubt, figure=figure, detail=detail)
        if not self._steady():
            return Standing(
                "settling",
                Advice("calm", "eye", "Let it come to rest.", where),
                Move("rest"),
                doubt="It has not come to rest. Take it all the same?",
                figure=figure,
                detail=detail,
            )
        off = off_in_words(mark_hz=self._mark_hz, receives_hz=receives_hz)
        found = Advice("good", "measure", "Found. Take it.", f"{where} That is {off} off the mark.")
        if heard == "other side":  # the oscillator says so itself; what brings it over is worked out from that
            found = Advice("watch", "measure", "Found: the oscillator is on the wrong side. Take it.", f"{where} The mark is its image.")
        return Standing(
            "found",
            found,
            Move("rest"),
            may_take=True,
            figure=figure,
            detail=detail,
        )

    def _steady(self) -> bool:
        seen = self._series.watched
        if seen[-1].alone:
            return True
        last = [r.value for r in seen[-STEADY_READINGS:]]
        return len(last) == STEADY_READINGS and max(last) - min(last) <= AGREE_SHARE * max(last)

    def _mark(self) -> str:
        return format_plain(self._mark_hz, unit="Hz", digits=5)

    def _not_the_signal(self, heard: Heard, receives_hz: float) -> tuple[str, str]:
        """What else it is, and the question before it is taken all the same."""
        if heard == "intermediate frequency":
            return (
                "That is the intermediate frequency itself, which goes straight through.",
                "It is heard wherever the dial stands, and says nothing of the dial. Take it all the same?",
            )
        if heard == "image":
            right = format_plain(receives_hz - 2.0 * self._sign * self._if_hz, unit="Hz", digits=6)
            return (
                f"That is the image. The signal would be at {right}.",
                "It lies twice the intermediate frequency beside the signal. Take it as the signal all the same?",
            )
        side = "below" if self._sign > 0 else "above"
        return (
            f"The oscillator runs {side} the signal here: it was set to the image.",
            "Every mark would then read its image. Take it all the same?",
        )


def off_in_words(*, mark_hz: float, receives_hz: float) -> str:
    """Return by how much what is received lies beside a mark: hertz and per cent, signed."""
    error_hz = receives_hz - mark_hz
    return f"{format_si(error_hz, unit='Hz', digits=3, signed=True)}, {percent_off(mark_hz=mark_hz, receives_hz=receives_hz)}"


def percent_off(*, mark_hz: float, receives_hz: float) -> str:
    """Return by which share of a mark what is received lies beside it, signed; of less than a hundredth of a per cent, one figure more.

    >>> percent_off(mark_hz=1e6, receives_hz=0.99e6), percent_off(mark_hz=1e6, receives_hz=1.00005e6)
    ('−1.00 %', '+0.005 %')
    """
    share = 100.0 * (receives_hz - mark_hz) / mark_hz
    return f"{format_signed(share, places=2 if abs(share) >= 0.01 else 3)} %"


def report(detail: Mapping[str, Any]) -> str:
    """Return how it reads in the record."""
    if "receives_hz" not in detail:
        return "taken"
    return f"receives {format_plain(detail['receives_hz'], unit='Hz', digits=6)}"


def said_of_the_dial(_: Step, detail: Mapping[str, Any]) -> SaidOfTheDial | None:
    """Return where the set received, and how surely (Hz)."""
    return SaidOfTheDial(detail["receives_hz"], detail["sigma_hz"]) if "receives_hz" in detail else None


KIND = StepKind(
    "receives",
    "Find where it receives",
    ReceivesJudge,
    sign="measure",
    reads="offset",
    needs=("indicator", "aim.mark_hz", "aim.if_hz", "aim.sign"),
    report=report,
    asks="What is read",
    dial=said_of_the_dial,
)
