"""shape: adjust against a swept response. Done when bandwidth, ripple and symmetry are inside their limits."""

from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.physics.passband import ripple_db
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Moment, Move, Standing
from calm_needle.core.procedure.kinds.check import band_of
from calm_needle.core.procedure.kinds.kind import StepKind, worded
from calm_needle.core.procedure.series import Seen

USUAL_DOWN_DB = 6.0
FEWEST = 5


class ShapeJudge:
    """Judges the newest sweep: `aim.width_hz` [least, most] at `aim.down_db`; if given `aim.ripple_db` at most, and the middle within
    `aim.symmetry_hz` of `aim.centre_hz`."""

    def __init__(self, step: Step, context: Context) -> None:
        self._series, self._aim = context.series, step.aim
        self._down_db = float(step.aim.get("down_db", USUAL_DOWN_DB))
        self._points = step.passband_points or FEWEST
        self._what = " and ".join(context.model.adjuster(a).phrase for a in step.adjusters) or "the cores"

    def add(self, seen: Seen) -> None:
        """Everything is in the series."""

    def standing(self, moment: Moment) -> Standing:
        points = self._series.response()
        if moment.sweeping is not None:
            done = f"{100 * moment.sweeping:.0f} % done. Hands off the leads and the set."
            return Standing(
                "sweeping", Advice("live", "measure", "Measuring the pass-band.", done), Move("wait"), refusal="The sweep is still running."
            )
        if len(points) < FEWEST:
            how = "Measure the pass-band." if moment.can_sweep else "Type readings over the response, each with its frequency."
            refusal = f"The response is not known yet: {len(points)} points of at least {FEWEST}."
            advice = Advice("calm", "measure", how, f"At least {FEWEST} points, over both edges.")
            return Standing("waiting", advice, Move("sweep" if moment.can_sweep else "read"), refusal=refusal)
        band = band_of(self._series, down_db=self._down_db)
        if band is None or band.width_hz is None or band.centre_hz is None:
            advice = Advice("watch", "measure", "Sweep wider: an edge lies outside.", f"Both edges, {self._down_db:g} dB down, are wanted.")
            return Standing(
                "no_edge", advice, Move("sweep" if moment.can_sweep else "read"), doubt="An edge was not seen. Take it all the same?"
            )
        ripple = ripple_db(points, low_hz=band.low_hz or 0.0, high_hz=band.high_hz or 0.0)
        detail: dict[str, Any] = {
            "passband": {"peak_hz": band.peak_hz, "low_hz": band.low_hz, "high_hz": band.high_hz},
            "width_hz": band.width_hz,
            "ripple_db": ripple,
            "centre_hz": band.centre_hz,
        }
        faults = self._faults(band.width_hz, band.centre_hz, ripple)
        said = f"{band.width_hz / 1e3:.2f} kHz wide at −{self._down_db:g} dB about {band.centre_hz / 1e3:.2f} kHz, ripple {ripple:.1f} dB."
        figure = Figure(band.width_hz, None, "Hz")
        if faults:
            advice = Advice("watch", "humps", f"{faults[0]} Turn {self._what}, and sweep again.", " ".join([said, *faults[1:]]))
            move = Move("sweep" if moment.can_sweep else "read")
            return Standing("outside", advice, move, doubt=f"{faults[0]} Take it all the same?", figure=figure, detail=detail)
        return Standing(
            "inside", Advice("good", "crest", "As it should be. Take it.", said), Move("rest"), True, figure=figure, detail=detail
        )

    def _faults(self, width: float, centre: float, ripple: float) -> list[str]:
        aim, out = self._aim, []
        low, high = aim["width_hz"]
        if not low <= width <= high:
            out.append(f"Too {'narrow' if width < low else 'wide'}: {width / 1e3:.2f} kHz, {low / 1e3:.2f} to {high / 1e3:.2f} wanted.")
        if "ripple_db" in aim and ripple > aim["ripple_db"]:
            out.append(f"The top is not flat: {ripple:.1f} dB of ripple, {aim['ripple_db']:g} allowed.")
        if "symmetry_hz" in aim and abs(centre - aim["centre_hz"]) > aim["symmetry_hz"]:
            off = centre - aim["centre_hz"]
            out.append(f"Its middle is {abs(off):.0f} Hz {'high' if off > 0 else 'low'}, {aim['symmetry_hz']:g} allowed.")
        return out


KIND = StepKind(
    "shape",
    "Shape",
    ShapeJudge,
    sign="shape",
    needs=("indicator", "generator", "passband", "aim.width_hz"),
    asks_frequency=True,
    report=worded({"inside": "inside its limits", "outside": "outside its limits", "no_edge": "an edge was not seen"}),
)
