"""image: an oscillator was brought to a crest with the generator; was that the signal's crest, or its image's? Nothing is turned.

At the image's crest the oscillator runs on the other side of the generator, so the set is really tuned to twice the intermediate frequency
beside, and is louder there: the generator stands at both in turn, equally strong, and the levels are compared. Signal circuits that are far
off make the two alike, and then it is said that nothing can be said.
"""

from collections.abc import Mapping
from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing, Swing
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_plain

APART_DB = 2.0  # from which on two levels say which of them is the signal's
AT_SHARE = 0.004  # about a frequency, within which a level was read there
DOUBTS = {
    "image": "Every mark near it would then receive its image. Take it all the same?",
    "alike": "Which of the two it is, is not known. Take it all the same?",
}


class ImageJudge:
    """aim: at_hz, where the generator stood at the crest; other_hz, where the signal is if that was its image; name: of what is turned."""

    def __init__(self, step: Step, context: Context) -> None:
        aim = step.aim
        self._series, self._at_hz, self._other_hz = context.series, float(aim["at_hz"]), float(aim["other_hz"])
        self._adjuster = str(aim.get("name", "the adjuster"))

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        at, other = (format_plain(f, unit="Hz", digits=6) for f in (self._at_hz, self._other_hz))
        if moment.sweeping is not None:
            wait = Advice("live", "measure", "The generator stands at one, then at the other.", "Hands off the leads and the set.")
            return Standing("sweeping", wait, Move("wait"), refusal="It is still being compared.")
        here_db, there_db = self._level(self._at_hz), self._level(self._other_hz)
        if here_db is None or there_db is None:
            advice = Advice(
                "calm",
                "measure",
                f"Compare {at} with {other}.",
                "The same level at both, nothing turned between: the louder is the signal.",
            )
            swing = Swing((self._at_hz + self._other_hz) / 2.0, abs(self._at_hz - self._other_hz), 2)
            return Standing("waiting", advice, Move("sweep"), refusal=f"Read it at {at} and at {other} first.", swing=swing)
        db = here_db - there_db
        figure, detail = Figure(db, None, "dB"), {"signal_over_image_db": db}
        if db >= APART_DB:
            advice = Advice("good", "crest", "It is the signal. Take it.", f"At {other} it is {db:.1f} dB quieter.")
            return Standing("signal", advice, Move("rest"), may_take=True, figure=figure, detail=detail)
        if db <= -APART_DB:
            advice = Advice(
                "danger",
                "turn_back",
                f"That crest is the image’s: it is {-db:.1f} dB louder at {other}.",
                f"Go back, and turn {self._adjuster} the other way until the other crest is reached.",
            )
            return Standing("image", advice, Move("rest"), doubt=DOUBTS["image"], figure=figure, detail=detail)
        advice = Advice(
            "watch",
            "nothing",
            "The two are alike: it cannot be told which is the signal.",
            f"{db:+.1f} dB. The signal circuits are far off there; peak them roughly, or count the oscillator.".replace("-", "−"),
        )
        return Standing("alike", advice, Move("rest"), doubt=DOUBTS["alike"], figure=figure, detail=detail)

    def _level(self, f_hz: float) -> float | None:
        """The last level (dB) that was read with the generator there."""
        return next((v for f, v in reversed(self._series.response()) if abs(f / f_hz - 1.0) < AT_SHARE), None)


def report(detail: Mapping[str, Any]) -> str:
    """Return how a comparison reads in the record."""
    db = float(detail["signal_over_image_db"])
    what = {"signal": "the signal’s crest", "image": "the image’s crest, taken all the same"}.get(str(detail.get("verdict")), "not certain")
    return f"{what}, {abs(db):.1f}\u2009dB {'above' if db >= 0 else 'below'} the other"


KIND = StepKind(
    "image",
    "See that it is not the image",
    ImageJudge,
    sign="measure",
    needs=("generator", "indicator", "aim.at_hz", "aim.other_hz"),
    report=report,
    asks_frequency=True,
    sweeps="Compare with the image",
)
