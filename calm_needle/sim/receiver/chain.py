"""The receiver as a chain of links, from the aerial to the loudspeaker, built from its dossier's circuits.

    aerial circuit --- mixer --- pair --- amplifier --- pair --- detector --- audio
                         ^ oscillator

What is fed in at a point passes what lies behind that point, and nothing else. Noise is added where it arises and summed at the detector
over the response behind it, by numerical integration, so it grows with the root of the bandwidth; before the mixer it comes in on the
signal's frequency, on the image's, and on the intermediate frequency itself.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.dossier.model import Model, points_of
from calm_needle.core.lazy import Lazy
from calm_needle.sim.receiver.circuits import circuits_of
from calm_needle.sim.receiver.control import settled
from calm_needle.sim.receiver.signal import Now, Wave, Window
from calm_needle.sim.receiver.stages.audio import AudioStage
from calm_needle.sim.receiver.stages.detector import Audio, Detector
from calm_needle.sim.receiver.stages.mixer import Mixer
from calm_needle.sim.receiver.stages.oscillator import Oscillator
from calm_needle.sim.receiver.stages.stage import KTQ_W_PER_HZ, Built, Stage
from calm_needle.sim.receiver.stages.table import STAGES
from calm_needle.sim.receiver.transformer import Winding
from calm_needle.sim.receiver.true_parts import TrueParts

if TYPE_CHECKING:
    import numpy as np
else:
    np = Lazy("numpy")

WIDE, POINTS = 6.0, 121  # how many half-power bandwidths are integrated over, each way; in how many points
MOVED_HZ, MOST_KEPT = 100.0, 4000  # a winding that moved by less leaves the noise as it was
PICKED_UP = 0.02  # volts in a loose loop for one across what it is near
NARROWEST_Q = 40.0  # of a chain without windings, for the width that is integrated over


class Seen(NamedTuple):
    """What an instrument sees at a point: the waves that stand there, and noise (V r.m.s.) that has no frequency of its own."""

    waves: tuple[Wave, ...]
    noise_v: float


class Chain:
    """Links in their order. `entry` says where a lead may go in; `audio` what is heard, `look` what stands at a point."""

    def __init__(self, model: Model, parts: TrueParts, *, seed: int) -> None:
        circuits = circuits_of(model)
        self.filled_in, self.if_hz = circuits.filled_in, model.if_hz
        self._threshold_v, self.slope = float(circuits.gain_control["threshold_v"]), float(circuits.gain_control["slope"])
        links = [(link, STAGES[link.data["kind"]](Built(link.data, model, parts, seed, link.stage_id))) for link in circuits.links]
        self.all = [stage for _, stage in links]
        self.stages = [s for s in self.all if not isinstance(s, (Oscillator, Detector, AudioStage))]
        self.oscillator = next((s for s in self.all if isinstance(s, Oscillator)), None)
        self._detectors = sorted((s for s in self.all if isinstance(s, Detector)), key=lambda d: not d.switched)
        self._audio = next((s for s in self.all if isinstance(s, AudioStage)), None)
        self._mixer = next((i for i, s in enumerate(self.stages) if isinstance(s, Mixer)), 0)
        _place_points(model, self.all)
        self._entries = {point: i for i, s in reversed(list(enumerate(self.stages))) for point in s.points}
        self.adjusters = {name: a for stage in self.all for name, a in stage.adjusters.items()}
        self._known = {str(p["id"]) for p in points_of(model.raw)}
        self._noise: dict[tuple[int, ...], tuple[list[float], float]] = {}  # by how it was tuned

    @property
    def windings(self) -> list[Winding]:
        return [w for stage in self.all for w in stage.windings]

    def entry(self, point: str) -> int | None:
        """Return which link a test point is the input of; None for a point where nothing can be fed in."""
        return self._entries.get(point)

    @property
    def mixer(self) -> int:
        """Which link turns what comes in into the intermediate frequency; the first where none does."""
        return self._mixer

    def gain(self, f_hz: float, now: Now, *, entry: int) -> float:
        """Return the voltage gain from the input of a link to the detector at f_hz: nothing drawn back or converted, valves as drawn."""
        out = 1.0
        for stage in self.stages[entry:]:
            out *= stage.transfer(f_hz, now)
        return out

    def waves_at(self, index: int, wave: Wave, now: Now, *, entry: int) -> list[Wave]:
        """Return what stands at the input of a link, or behind the last, of a wave that is fed in at `entry`."""
        waves = [wave]
        for stage in self.stages[entry:index]:
            waves = stage.waves(waves, now)
        return waves

    def settle(self, wave: Wave, now: Now, *, entry: int) -> tuple[Now, list[Wave]]:
        """Return how the set stands once its gain control has settled on what is fed in, and the waves that then reach the detector."""
        waves = self.waves_at(len(self.stages), wave, now, entry=entry)
        free = _together(waves)
        if self.slope <= 0.0 or free <= self._threshold_v:
            return now, waves
        last = [waves]

        def carrier(drawn_back: float) -> float:
            last[0] = self.waves_at(len(self.stages), wave, now._replace(drawn_back=drawn_back), entry=entry)
            return _together(last[0])

        drawn_back = settled(carrier, free_v=free, threshold_v=self._threshold_v, slope=self.slope)
        return now._replace(drawn_back=drawn_back), last[0]

    def audio(self, wave: Wave, now: Now, *, entry: int, source_ohm: float) -> Audio:
        """Return what is heard of a wave fed in at `entry` from a source of so many ohms, the gain control having settled."""
        now, waves = self.settle(wave, now, entry=entry)
        heard = self._detected(waves, now, entry=entry, source_ohm=source_ohm)
        return self._audio.amplify(heard, now) if self._audio else heard

    def sounds(self, wave: Wave, now: Now, *, entry: int, source_ohm: float) -> tuple[Audio, list[tuple[float, float]]]:
        """Return what is heard, as audio() does, and the whistle of each carrier beside the strongest (Hz, V r.m.s.)."""
        now, waves = self.settle(wave, now, entry=entry)
        heard = self._detected(waves, now, entry=entry, source_ohm=source_ohm)
        whistles = self._detector(now).whistles(waves)
        if self._audio is None:
            return heard, whistles
        amplified = [self._audio.amplify(Audio(v, 0.0, f_hz), now) for f_hz, v in whistles]
        return self._audio.amplify(heard, now), [(a.tone_hz, a.tone_v) for a in amplified]

    def _detector(self, now: Now) -> Detector:
        # One that has to be switched in comes before one that always works.
        return next(d for d in self._detectors if d.works(now))

    def _detected(self, waves: Sequence[Wave], now: Now, *, entry: int, source_ohm: float) -> Audio:
        return self._detector(now).detect(waves, self.noise_v(now, entry=entry, source_ohm=source_ohm), now)

    def noise_v(self, now: Now, *, entry: int, source_ohm: float) -> float:
        """Return the noise at the detector (V r.m.s.): of each link behind `entry`, and of the source there."""
        own, through_hz = self._noise_of_each(now, entry)
        power, behind = 0.0, 1.0
        for stage, own_v2 in zip(reversed(self.stages[entry:]), own, strict=True):
            scale = stage.scale(now) ** 2
            # What a stage that amplifies makes is drawn back with it; what a circuit makes is not.
            power += own_v2 * behind * scale
            behind *= scale
        return math.sqrt(power + KTQ_W_PER_HZ * source_ohm * through_hz * behind)

    def look(self, point: str, wave: Wave, now: Now, *, entry: int, source_ohm: float) -> Seen:
        """Return what stands at a test point; nothing where no link has it. Raises KeyError for one that the dossier does not have."""
        for stage in self.all:
            if point in stage.within and (own := stage.own(now)):
                return Seen(tuple(own), 0.0)
        now, waves = self.settle(wave, now, entry=entry)
        for index, stage in enumerate(self.stages):
            if point in (*stage.points, *stage.within):
                if index < entry:
                    return Seen((), 0.0)
                here = self.waves_at(index, wave, now, entry=entry)
                return Seen(tuple(stage.seen_within(here, now) if point in stage.within else here), 0.0)
        heard = self._detected(waves, now, entry=entry, source_ohm=source_ohm)
        if self._audio and point in (*self._audio.points, *self._audio.within):
            heard = self._audio.amplify(heard, now)
        elif not any(point in (*d.points, *d.within) for d in self._detectors):
            if not self.knows(point):
                raise KeyError(point)
            return Seen((), 0.0)
        return Seen((Wave(heard.tone_hz, heard.tone_v),), heard.noise_v)

    def near(self, stage_id: str, wave: Wave, now: Now, *, entry: int) -> Seen:
        """Return what a loop beside a stage picks up of what leaves it: a little, of the oscillator too, and it hangs on nothing."""
        beside = [s for s in self.all if s.stage_id == stage_id]
        own = [w for s in beside for w in s.radiated(now)]
        last = max((i for i, s in enumerate(self.stages) if s in beside), default=-1)
        if last >= entry:
            now, _ = self.settle(wave, now, entry=entry)
            own += self.waves_at(last + 1, wave, now, entry=entry)
        return Seen(tuple(w.times(PICKED_UP) for w in own), 0.0)

    def has(self, stage_id: str) -> bool:
        """Whether a stage of the dossier has a link."""
        return any(s.stage_id == stage_id for s in self.all)

    def knows(self, point: str) -> bool:
        """Whether the dossier has such a test point."""
        return point in self._known

    def probe(self, point: str, farads: float) -> None:
        """Hang a probe of so much capacitance on a point; 0 takes it off."""
        for index, stage in enumerate(self.stages):
            if point in stage.within:
                stage.probed(farads, at_output=False)
            elif point in stage.points and index:
                self.stages[index - 1].probed(farads, at_output=True)
        for other in (s for s in self.all if s not in self.stages and point in s.within):
            other.probed(farads, at_output=False)

    def _noise_of_each(self, now: Now, entry: int) -> tuple[list[float], float]:
        """The noise that each link from `entry` on makes itself, at the detector (V²), the last link first; and the square of the gain from
        there, integrated (Hz). Both with nothing drawn back, and kept by how the links are tuned.
        """
        settings = [1e6 * entry, now.oscillator_hz or 0.0 if entry <= self.mixer else 0.0]
        for stage in self.stages[entry:]:
            settings += stage.tuned_to(now)
        key = tuple(round(v / MOVED_HZ) for v in settings)
        if (kept := self._noise.get(key)) is not None:
            return kept
        out: list[float] = []
        windows = [Window(f, np.ones(len(f))) for f in (self._grid(now),)]
        # The trapezoidal rule, as weights.
        step = np.diff(windows[0].f)
        weights = (np.append(step, 0.0) + np.insert(step, 0, 0.0)) / 2.0
        for stage in reversed(self.stages[entry:]):
            out.append(sum(float((w.h2 * stage.noise_v2_per_hz(w.f, now)) @ weights) for w in windows))
            windows = stage.windows(windows, now)
        if len(self._noise) >= MOST_KEPT:
            self._noise.clear()
        self._noise[key] = found = out, sum(float(w.h2 @ weights) for w in windows)
        return found

    def _grid(self, now: Now) -> np.ndarray:
        """Frequencies over which the strip lets anything through."""
        windings = [w for s in self.stages[self.mixer :] for w in s.windings]
        if not windings:
            return np.linspace(self.if_hz * (1.0 - 1.0 / NARROWEST_Q), self.if_hz * (1.0 + 1.0 / NARROWEST_Q), POINTS)
        lowest, highest = min(w.frequency_hz() for w in windings), max(w.frequency_hz() for w in windings)
        margin = WIDE * max(w.frequency_hz() / w.q_factor for w in windings)
        even = np.linspace(max(lowest - margin, 1.0), highest + margin, POINTS)
        width_hz = min((s.narrow_hz(now) for s in self.stages), default=math.inf)
        if width_hz > margin:
            return even
        # A crystal passes a hundredth of that: it is looked at more closely about the middle.
        return np.unique(np.concatenate([even, np.linspace(self.if_hz - WIDE * width_hz, self.if_hz + WIDE * width_hz, POINTS)]))


def _together(waves: Sequence[Wave]) -> float:
    """The peak of the carrier that they make together (V)."""
    return math.sqrt(2.0 * sum(w.v * w.v for w in waves))


def _place_points(model: Model, stages: Sequence[Stage]) -> None:
    """Give each link the test points of its stage: at the input of its first link where a signal goes in, else within one of the others."""
    fed = {step.set_up.goes_in for group in model.groups for step in group.steps}
    for described in model.stages:
        own = [s for s in stages if s.stage_id == described.id]
        if not own:
            continue
        inputs = tuple(p["id"] for p in described.test_points if "injection" in p or p["id"] in fed)
        own[0].points = inputs
        beyond = tuple(p["id"] for p in described.test_points if p["id"] not in inputs)
        tuned = next((s for s in own[1:] if s.windings), own[-1])
        tuned.within = beyond
    aerial = tuple(p["id"] for p in model.raw.get("test_points", ()))
    stages[0].points = (*stages[0].points, *aerial)
