"""swing: with the pointer on a mark, the program swings the generator about it and finds where the set listens. Nothing is turned.

First wide and strong, in steps about as wide as the strip, until something is heard; then closer about that. The middle between the
places where it has fallen by 6 dB on either side is where the set listens. A strong signal and gain control widen
a response alike on both sides.
"""

from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.physics.passband import Passband
from calm_needle.core.physics.superhet import Heard, what_is_heard
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing, Swing
from calm_needle.core.procedure.kinds.check import band_of
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.receives import off_in_words, report, said_of_the_dial
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import format_plain, format_si

FIRST_SHARE, WIDER, WIDEST_SHARE = 0.03, 3.0, 0.3  # of the mark, each way, that is looked over at first; how it is widened, and how far
COARSE_HZ, FINE_HZ, CLOSE_SPAN_HZ = 8e3, 1.5e3, 30e3  # between neighbouring places; how far the closer look goes in all
MOST_POINTS = 81
CLEAR_DB, QUIETEST = 6.0, 10  # above the quietest tenth of what was read, that is a signal and not hiss
FOUND_TO_HZ, FOUND_TO_SHARE = 200.0, 1.0 / 30.0  # how well the middle of a response is found; of its width, for its flanks are unlike


class SwingJudge:
    """aim: mark_hz, if_hz, sign (+1 oscillator above)."""

    def __init__(self, step: Step, context: Context) -> None:
        aim = step.aim
        self._series, self._mark_hz, self._if_hz, self._sign = context.series, float(aim["mark_hz"]), float(aim["if_hz"]), int(aim["sign"])

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        at = format_plain(self._mark_hz, unit="Hz", digits=5)
        if moment.sweeping is not None:
            done = f"{100 * moment.sweeping:.0f} % done. Hands off the leads and the set."
            return Standing(
                "sweeping", Advice("live", "measure", "The generator is swung.", done), Move("wait"), refusal="It is still being swung."
            )
        points = self._series.response()
        if not points:
            about = format_si(FIRST_SHARE * self._mark_hz, unit="Hz", digits=2)
            advice = Advice(
                "calm", "measure", f"Swing the generator about {at}.", f"{about} each way at first, and closer where it is heard."
            )
            return self._look(advice, Swing(self._mark_hz, 2.0 * FIRST_SHARE * self._mark_hz, self._points_over(FIRST_SHARE)))
        levels = sorted(v for _, v in points)
        top_hz, top_db = max(points, key=lambda p: p[1])
        looked = max(abs(f - self._mark_hz) for f, _ in points)
        said = f"Looked over {format_si(looked, unit='Hz', digits=2)} each way of {at}."
        if top_db - levels[len(levels) // QUIETEST] < CLEAR_DB:
            return self._unheard(said, looked)
        if top_hz in (points[0][0], points[-1][0]):
            advice = Advice(
                "watch", "onward", "It rises towards the end of what was looked over.", f"{said} The generator is swung on from there."
            )
            return self._look(advice, Swing(top_hz, 2.0 * COARSE_HZ * 4, 9))
        band = band_of(self._series)
        if band is None or band.low_hz is None or band.high_hz is None or not self._close_enough(points, band):
            advice = Advice("live", "onward", f"Heard about {format_plain(top_hz, unit='Hz', digits=5)}. Closer now.", said)
            return self._look(advice, Swing(top_hz, CLOSE_SPAN_HZ, round(CLOSE_SPAN_HZ / FINE_HZ) + 1))
        return self._found((band.low_hz + band.high_hz) / 2.0, band.high_hz - band.low_hz)

    def _points_over(self, share: float) -> int:
        return min(MOST_POINTS, 2 * round(share * self._mark_hz / COARSE_HZ) + 3)

    def _close_enough(self, points: list[tuple[float, float]], band: Passband) -> bool:
        """Whether the response was stepped over finely enough about where it is highest."""
        return sum(abs(f - band.peak_hz) <= 2.1 * FINE_HZ for f, _ in points) >= 4

    def _look(self, advice: Advice, swing: Swing) -> Standing:
        refusal = "Swing the generator first."
        nothing = (
            f"Nothing was heard with the pointer at {format_plain(self._mark_hz, unit='Hz', digits=5)}.",
            "The generator was not swung.",
        )
        return Standing("waiting", advice, Move("sweep"), refusal=refusal, swing=swing, nothing=nothing)

    def _unheard(self, said: str, looked: float) -> Standing:
        nothing = (f"Nothing was heard with the pointer at {format_plain(self._mark_hz, unit='Hz', digits=5)}.", said)
        share = WIDER * looked / self._mark_hz
        if looked < WIDEST_SHARE * self._mark_hz * 0.99:
            share = min(share, WIDEST_SHARE)
            advice = Advice("watch", "nothing", "Nothing is heard there. Wider.", said)
            wider = Swing(self._mark_hz, 2.0 * share * self._mark_hz, self._points_over(share))
            return Standing("waiting", advice, Move("sweep"), refusal="Swing the generator first.", swing=wider, nothing=nothing)
        advice = Advice(
            "danger",
            "nothing",
            "Nothing is heard anywhere near.",
            f"{said} Is the generator on the right socket, the band switch on its band? Else look where the oscillator runs, band by band.",
        )
        return Standing("unheard", advice, Move("rest"), refusal="There is nothing to take: nothing is heard.", nothing=nothing)

    def _found(self, receives_hz: float, wide_hz: float) -> Standing:
        heard = what_is_heard(receives_hz=receives_hz, mark_hz=self._mark_hz, if_hz=self._if_hz, sign=self._sign)
        sigma_hz = max(FOUND_TO_HZ, FOUND_TO_SHARE * wide_hz)
        detail: dict[str, Any] = {"receives_hz": receives_hz, "sigma_hz": sigma_hz, "mark_hz": self._mark_hz, "heard": heard}
        shown = format_plain(receives_hz, unit="Hz", digits=6)
        where = f"Its middle lies at {shown}, {format_si(wide_hz, unit='Hz', digits=2)} wide at −6 dB."
        figure = Figure(receives_hz, sigma_hz, "Hz")
        if heard != "signal":
            sentence, doubt = WHAT_ELSE[heard]
            return Standing(heard, Advice("danger", "stop", sentence, where), Move("rest"), doubt=doubt, figure=figure, detail=detail)
        off = off_in_words(mark_hz=self._mark_hz, receives_hz=receives_hz)
        return Standing(
            "found",
            Advice(
                "good", "measure", "Found. Take it.", f"{where} That is {off} off the mark, to ±{format_si(sigma_hz, unit='Hz', digits=2)}."
            ),
            Move("rest"),
            may_take=True,
            figure=figure,
            detail=detail,
        )


WHAT_ELSE: dict[Heard, tuple[str, str]] = {
    "image": (
        "That is the image, twice the intermediate frequency beside the signal.",
        "It says nothing of the dial. Take it as the signal all the same?",
    ),
    "other side": (
        "The oscillator runs on the other side of the signal here: it was set to the image.",
        "Every mark would then read its image. Take it all the same?",
    ),
    "intermediate frequency": (
        "That is the intermediate frequency itself, which goes straight through.",
        "It is heard wherever the dial stands, and says nothing of the dial. Take it all the same?",
    ),
}

KIND = StepKind(
    "swing",
    "Find where it receives",
    SwingJudge,
    sign="measure",
    needs=("generator", "indicator", "aim.mark_hz", "aim.if_hz", "aim.sign"),
    report=report,
    asks_frequency=True,
    sweeps="Swing the generator",
    dial=said_of_the_dial,
)
