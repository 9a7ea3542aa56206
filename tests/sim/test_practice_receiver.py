import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.dossier.read import read_model
from calm_needle.sim.receiver.adjuster import Core, fraction_for, inductance_at
from calm_needle.sim.receiver.control import controlled
from calm_needle.sim.receiver.practice import LEFT_OFF, Input, PracticeReceiver
from tests.support import halvern
from tests.support.properties import steady

GRID = "V1-g1"


def receiver(seed: int = 1, misalign: str = "none", *, level_v: float = 100e-6, depth: float = 0.3) -> PracticeReceiver:
    set_ = PracticeReceiver(halvern.model(), seed=seed, misalign=misalign)  # type: ignore[arg-type]
    set_.lead = next(s.set_up.goes_in for g in halvern.model().groups for s in g.steps if s.kind == "peak")
    set_.feed = Input(halvern.IF_HZ, level_v, depth)
    return set_


class PhysicsItMustObey(unittest.TestCase):
    def test_aligned_it_peaks_at_the_intermediate_frequency_and_loses_nothing(self) -> None:
        truth = receiver().truth()
        self.assertAlmostEqual(truth.peak_hz, halvern.IF_HZ, delta=60)
        self.assertLess(truth.loss_db, 0.05)

    def test_aligned_it_meets_its_own_dossiers_specifications(self) -> None:
        wanted = {s["id"]: s for s in halvern.model().specifications}
        set_ = receiver(level_v=wanted["if-sensitivity"]["most_v"])
        self.assertGreater(set_.audio().tone_v, math.sqrt(0.05 * 3.0), "50 mW into three ohms")
        top = set_.strip_gain(halvern.IF_HZ)
        span = [halvern.IF_HZ + 20.0 * i for i in range(-400, 401)]
        inside = [f for f in span if set_.strip_gain(f) >= top / 2.0]
        self.assertTrue(wanted["if-bandwidth"]["low_hz"] < inside[-1] - inside[0] < wanted["if-bandwidth"]["high_hz"])

    def test_twice_the_signal_is_six_decibels_below_the_gain_control(self) -> None:
        one, two = receiver(level_v=20e-6).audio().tone_v, receiver(level_v=40e-6).audio().tone_v
        self.assertAlmostEqual(20 * math.log10(two / one), 6.02, delta=0.05)

    @steady
    @given(st.floats(1.0, 1e3), st.floats(0.5, 20))
    def test_beyond_its_threshold_the_gain_control_flattens_by_one_over_one_plus_its_slope(self, times: float, slope: float) -> None:
        there, more = (controlled(3.0 * t, threshold_v=3.0, slope=slope) for t in (times, 10 * times))
        self.assertAlmostEqual(20 * math.log10(more / there), 20.0 / (1.0 + slope), places=9)

    def test_without_a_carrier_only_noise_is_left_and_it_does_not_vanish(self) -> None:
        set_ = receiver(level_v=0.0)
        readings = [set_.reading(dt_s=0.05) for _ in range(400)]
        mean = sum(readings) / len(readings)
        self.assertGreater(mean, 0.0)
        self.assertGreater(min(readings), 0.7 * mean)
        self.assertLess(max(readings), 1.3 * mean)

    def test_a_weak_carrier_is_suppressed_by_its_noise(self) -> None:
        weak, weaker = receiver(level_v=0.6e-6).audio().tone_v, receiver(level_v=0.3e-6).audio().tone_v
        self.assertGreater(20 * math.log10(weak / weaker), 7.0)

    def test_a_lead_that_hangs_loose_gives_nothing(self) -> None:
        set_ = receiver()
        set_.lead = None
        self.assertEqual(set_.audio().tone_v, 0.0)

    def test_no_core_can_better_the_aligned_strip(self) -> None:
        set_ = receiver()
        best = set_.strip_gain(halvern.IF_HZ)
        for winding in (w for s in set_.chain.stages[set_.chain.mixer :] for w in s.windings if not w.core.waxed):
            name = winding.adjuster_id
            for turns in (-0.3, 0.6):
                set_.turn(name, turns)
                self.assertLess(set_.strip_gain(halvern.IF_HZ), best)
            set_.turn(name, -0.3)

    def test_the_trap_has_its_null_where_it_resonates(self) -> None:
        set_ = receiver()
        set_.lead = "aerial-socket"
        at_null = set_.audio().tone_v
        set_.turn("L1", 1.0)
        self.assertGreater(20 * math.log10(set_.audio().tone_v / at_null), 10.0)


class Cores(unittest.TestCase):
    @steady
    @given(st.floats(0.0, 1.0))
    def test_inductance_and_place_lead_back_to_each_other(self, fraction: float) -> None:
        l_h = inductance_at(fraction, l_min_h=0.8e-3, l_max_h=1.1e-3)
        self.assertAlmostEqual(fraction_for(l_h, l_min_h=0.8e-3, l_max_h=1.1e-3), fraction, places=6)

    def test_it_goes_no_further_than_its_stop(self) -> None:
        core = Core(1e-3, 2e-3, travel_turns=10.0, position_turns=9.9)
        self.assertTrue(core.turn(1.0))
        self.assertEqual(core.position_turns, 10.0)
        self.assertTrue(core.at_stop())
        self.assertAlmostEqual(core.tool_turns, 0.1)

    def test_in_wax_the_tool_slips(self) -> None:
        core = Core(1e-3, 2e-3, travel_turns=10.0, position_turns=5.0, waxed=True)
        core.turn(1.0)
        self.assertAlmostEqual(core.tool_turns, 1.0)
        self.assertLess(core.position_turns - 5.0, 0.05)


class SeedsAndState(unittest.TestCase):
    def test_the_same_seed_gives_the_same_readings(self) -> None:
        one, two = (receiver(5, "severe") for _ in range(2))
        self.assertEqual([one.reading(dt_s=0.05) for _ in range(50)], [two.reading(dt_s=0.05) for _ in range(50)])
        self.assertNotEqual(receiver(6, "severe").reading(dt_s=0.05), receiver(5, "severe").reading(dt_s=0.05))

    def test_misalignment_is_as_far_as_it_says(self) -> None:
        for name, (_, most) in LEFT_OFF.items():
            right = {w.adjuster_id: w.core.position_turns for w in receiver(3).chain.windings}
            for winding in receiver(3, name).chain.windings:
                off = abs(winding.core.position_turns - right[winding.adjuster_id])
                self.assertLessEqual(off, most + 1e-9, (name, winding.adjuster_id))

    def test_unplugged_and_plugged_in_again_it_is_as_it_was_left(self) -> None:
        set_ = receiver(4, "moderate")
        set_.turn("IFT2-lower", 1.3)
        other = receiver(4, "moderate")
        other.restore(set_.state())
        self.assertEqual(other.state(), set_.state())
        self.assertEqual(other.strip_gain(halvern.IF_HZ), set_.strip_gain(halvern.IF_HZ))

    def test_a_dossier_without_a_simulation_part_is_filled_in_and_says_so(self) -> None:
        bare = halvern.data()
        del bare["simulation"]
        set_ = PracticeReceiver(read_model(bare), seed=1, misalign="none")
        self.assertIn("gain", set_.filled_in)
        self.assertAlmostEqual(set_.truth().peak_hz, halvern.IF_HZ, delta=60)
