import math
import statistics
import unittest
from collections.abc import Iterator
from functools import cache

import numpy as np

from calm_needle.core.constants import BOLTZMANN_J_PER_K, REFERENCE_TEMPERATURE_K
from calm_needle.core.dossier.model import Model
from calm_needle.core.verification.measures import MEASURES, limit_of
from calm_needle.sim.instruments.hands import Hands
from calm_needle.sim.instruments.millivoltmeter import Millivoltmeter
from calm_needle.sim.receiver.dial_truth import set_front_end_right, set_right
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.sim.receiver.stages.band_tanks import AERIAL_OHM
from tests.support import dossiers

STANDARD_W = 0.05
TEN_DB = 10.0
WARM_S = 3000.0
MOST_V = 10.0


def at_its_best(model: Model) -> PracticeReceiver:
    """A receiver as its maker aligned it, warm."""
    now = [0.0]
    receiver = PracticeReceiver(model, seed=1, misalign="none", clock=lambda: now[0])
    if receiver.supply:
        receiver.supply.power(1.0)
    now[0] = WARM_S
    return receiver


def standard_v(model: Model) -> float:
    load = next(s.set_up.watched.load_ohm for g in model.groups for s in g.steps if s.set_up.watched and s.set_up.watched.load_ohm)
    return math.sqrt(STANDARD_W * load)


def level_for(receiver: PracticeReceiver, f_hz: float, enough: str) -> float:
    """The least level (V) at which the standard output, or ten decibels of signal and noise to noise, are there; from below, for a stage
    that is driven to its end gives less again.
    """

    def there(level: float) -> bool:
        receiver.feed = Input(f_hz, level, 0.3)
        tone, noise, _ = receiver.audio()
        return tone >= standard_v(receiver.model) if enough == "output" else tone**2 + noise**2 >= TEN_DB * noise**2

    high = 1e-8
    while not there(high) and high < MOST_V:
        high *= 1.3
    low = high / 1.3
    for _ in range(30):
        middle = math.sqrt(low * high)
        low, high = (low, middle) if there(middle) else (middle, high)
    return high


def inputs(receiver: PracticeReceiver) -> list[str]:
    """The points from the mixer's input on where a generator can be clipped."""
    return [s.points[0] for s in receiver.chain.stages[receiver.chain.mixer :] if s.points]


@cache
def models() -> tuple[Model, ...]:
    return tuple(dossiers.all_models())


def over_the_bands(receiver: PracticeReceiver) -> Iterator[tuple[str, float]]:
    receiver.lead = receiver.chain.stages[0].points[0]
    for band in receiver.model.bands:
        if band.id in receiver.dial.bands:
            receiver.dial.select(band.id)
            for f in (band.f_low_hz, math.sqrt(band.f_low_hz * band.f_high_hz), band.f_high_hz):
                receiver.dial.point(f)
                yield band.id, f


class APointIsAPoint(unittest.TestCase):
    def test_the_stated_level_at_each_gives_the_standard_output(self) -> None:
        for model in models():
            receiver, points = at_its_best(model), 0
            for stage in model.stages:
                for point in stage.test_points:
                    if "injection" in point:
                        points += 1
                        receiver.lead = point["id"]
                        needed = level_for(receiver, point["injection"]["frequency_hz"], "output")
                        off_db = 20.0 * math.log10(needed / point["injection"]["expected_v"])
                        self.assertLess(abs(off_db), 1.0, (model.name, point["id"], needed))
            self.assertGreaterEqual(points, 2, model.name)

    def test_what_lies_before_a_point_does_nothing_to_what_is_fed_in_there(self) -> None:
        model = models()[0]
        receiver = at_its_best(model)
        receiver.lead, receiver.feed = inputs(receiver)[1], Input(model.if_hz, 0.01, 0.3)
        before = receiver.audio()
        receiver.turn(receiver.chain.windings[1].adjuster_id, 1.0)
        after = receiver.audio()
        self.assertEqual(after.tone_v, before.tone_v)
        self.assertAlmostEqual(after.noise_v / before.noise_v, 1.0, delta=1e-3)  # integrated over another grid

    def test_a_name_that_is_no_point_is_refused_and_the_lead_stays(self) -> None:
        receiver = at_its_best(models()[0])
        hands = Hands(receiver, keep=lambda: None)
        point = inputs(receiver)[0]
        hands.answer(f'LEAD "{point}"')
        for wrong in ("rail", "nowhere", "V9-g1"):
            hands.answer(f'LEAD "{wrong}"')
            self.assertIn("no signal is fed in at", str(hands.answer("SYST:ERR?")))
        self.assertEqual(hands.answer("LEAD?"), point)


class Specified(unittest.TestCase):
    """Every specification of every dossier, in the best alignment, over the whole of what it is said of."""

    def test_each_sensitivity_holds_over_the_whole_of_its_band(self) -> None:
        held = 0
        for model in models():
            for specification in (s for s in model.specifications if "most_v" in s and "band" in s):
                receiver = at_its_best(model)
                enough = "ratio" if "ratio_db" in specification else "output"
                for band, f in over_the_bands(receiver):
                    if band == specification["band"] and specification.get("from_hz", 0.0) <= f <= specification.get("to_hz", math.inf):
                        held += 1
                        self.assertLessEqual(level_for(receiver, f, enough), specification["most_v"], (model.name, band, f))
        self.assertGreaterEqual(held, 30)

    def test_the_ends_of_the_bands_too_of_sets_whose_parts_are_as_they_come_from_the_factory(self) -> None:
        held, measure = 0, MEASURES["sensitivity"]
        for model in (m for m in models() if m.key in ("halvern-6b", "dunlin-3")):
            for seed in range(1, 6):
                receiver = PracticeReceiver(model, seed=seed, misalign="severe")
                receiver.align_strip()
                for band in receiver.dial.bands.values():
                    set_right(receiver, band)
                    set_front_end_right(receiver, band)
                receiver.lead = receiver.chain.stages[0].points[0]
                for band in receiver.dial.bands.values():
                    for f in (band.f_low_hz, band.f_high_hz):
                        asked = {"definition": "standard-output", "band": band.id, "at_hz": f}
                        limit = limit_of(measure, model.specifications, asked)
                        assert limit and limit.most
                        receiver.dial.select(band.id)
                        receiver.feed = Input(f, 1e-6, 0.3)
                        receiver.dial.tune_in(f, loudness=receiver.free_v)
                        held += 1
                        self.assertLessEqual(level_for(receiver, f, "output"), limit.most, (model.name, seed, band.id, f))
        self.assertEqual(held, 40)

    def test_each_width_of_the_strip(self) -> None:
        held = 0
        for model in models():
            for specification in (s for s in model.specifications if "low_hz" in s):
                receiver, held = at_its_best(model), held + 1
                receiver.switches["filter"] = specification.get("filter", "broad")
                offsets = range(-8000, 8001, 10)
                gains = [receiver.strip_gain(model.if_hz + f) for f in offsets]
                inside = [f for f, gain in zip(offsets, gains, strict=True) if gain >= max(gains) / 2.0]
                width = inside[-1] - inside[0]
                self.assertTrue(specification["low_hz"] < width < specification["high_hz"], (model.name, specification["id"], width))
        self.assertGreaterEqual(held, 5)

    def test_each_ratio_of_what_is_not_wanted(self) -> None:
        held = 0
        for model in models():
            for specification in (s for s in model.specifications if "at_hz" in s):
                receiver, held = at_its_best(model), held + 1
                receiver.lead = receiver.chain.stages[0].points[0]
                receiver.dial.select(specification["band"])
                receiver.dial.point(specification["at_hz"])
                wanted = level_for(receiver, specification["at_hz"], "output")
                if "least_db" in specification:
                    unwanted = level_for(receiver, specification["at_hz"] + 2.0 * model.if_hz, "output")
                    least_db = specification["least_db"]
                else:
                    unwanted, least_db = level_for(receiver, model.if_hz, "output"), specification["least_if_db"]
                self.assertGreater(20.0 * math.log10(unwanted / wanted), least_db, (model.name, specification["id"]))
        self.assertGreaterEqual(held, 5)

    def test_each_dial_reads_right_at_every_mark_by_the_gang_s_own_table(self) -> None:
        for model in models():
            receiver, gang = at_its_best(model), model.raw["gang"]
            assert receiver.chain.oscillator
            for name, band in receiver.dial.bands.items():
                tank = receiver.chain.oscillator.tanks[name]
                # The pointer goes along the scale as the gang turns; where both begin, the marks themselves say.
                falling = list(zip(reversed(gang["capacitance_f"]), reversed(gang["rotation"]), strict=True))
                turned = [np.interp(tank.gang_for(m.dial_hz + band.if_hz), *zip(*falling, strict=True)) for m in band.marks]
                along = np.polyfit([m.position_mm for m in band.marks], turned, 1)
                most = next(s["most_percent"] for s in model.specifications if s["id"] == f"calibration-{name.lower()}")
                for mark in band.marks:
                    gang_f = float(np.interp(np.polyval(along, mark.position_mm), gang["rotation"], gang["capacitance_f"]))
                    off = abs(tank.frequency_hz(gang_f) - band.if_hz - mark.dial_hz) / mark.dial_hz
                    self.assertLess(100.0 * off, most, (model.name, name, mark))


class Noise(unittest.TestCase):
    def test_no_receiver_is_better_than_the_noise_of_its_aerial(self) -> None:
        for model in models():
            receiver = at_its_best(model)
            top = receiver.strip_gain(model.if_hz)
            bandwidth = 25.0 * sum((receiver.strip_gain(model.if_hz + 25.0 * i) / top) ** 2 for i in range(-600, 601))
            for band, f in over_the_bands(receiver):
                emf = level_for(receiver, f, "ratio")
                # (S+N)/N of 10 dB at 30 %: S/N = 9 = 0.09 C/N
                factor = emf**2 / (4.0 * AERIAL_OHM) / (100.0 * BOLTZMANN_J_PER_K * REFERENCE_TEMPERATURE_K * bandwidth)
                self.assertGreater(factor, 1.0, (model.name, band, f))
                if any(stage.data.get("source_ohm") for stage in receiver.chain.stages):  # a rod by a loop: its volts are the loop's
                    self.assertLess(10.0 * math.log10(factor), 30.0, (model.name, band, f))

    def test_it_grows_with_the_root_of_the_bandwidth(self) -> None:
        model = models()[0]
        narrow, wide = at_its_best(model), at_its_best(model)
        for winding in wide.chain.windings:
            winding.q_factor /= 4.0
        for receiver in (narrow, wide):
            receiver.lead, receiver.feed = inputs(receiver)[0], Input(model.if_hz, 0.0, 0.3)
        ratio = wide.noise_v() / wide.strip_gain(model.if_hz) / (narrow.noise_v() / narrow.strip_gain(model.if_hz))
        self.assertAlmostEqual(ratio, 2.0, delta=0.05)

    def test_ten_decibels_by_the_closed_formula(self) -> None:
        model = models()[0]
        receiver = at_its_best(model)
        receiver.lead = inputs(receiver)[0]
        level = level_for(receiver, model.if_hz, "ratio")
        receiver.feed = Input(model.if_hz, level, 0.3)
        at_input = receiver.noise_v() / (receiver.free_v() / level)
        self.assertAlmostEqual(level / at_input, math.sqrt(9.0 / 0.09), delta=0.02 * 10.0)

    def test_a_meter_is_as_unquiet_at_any_polling(self) -> None:
        spreads = []
        for every_s in (0.02, 0.1, 0.5):
            now = [0.0]
            receiver = PracticeReceiver(models()[0], seed=4, misalign="none", clock=lambda: 0.0)
            receiver.wander(share=0.0, memory_s=1.0)
            receiver.lead, receiver.feed = inputs(receiver)[0], Input(468e3, 0.0, 0.0)
            meter = Millivoltmeter(receiver, seed=4, clock=lambda now=now: now[0])  # type: ignore[misc]
            seen = []
            for _ in range(3000):
                now[0] += every_s
                seen.append(float(meter.answer("MEAS:VOLT:AC?") or "nan"))
            spreads.append(statistics.stdev(seen[20:]) / statistics.fmean(seen[20:]))
        self.assertLess(max(spreads) / min(spreads), 1.15, spreads)
