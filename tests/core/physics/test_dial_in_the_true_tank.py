import math
import random
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.physics import dial, drift, frequency, levels, sine_fit, supply
from calm_needle.errors import NoAnswer, OutOfRange
from tests.support.halvern import model
from tests.support.properties import steady


class OfTheHalvern(unittest.TestCase):
    """The three bands of a set with padders, a part of each tank off by a known amount."""

    def tanks(self):  # type: ignore[no-untyped-def]
        for band in model().bands:
            tank, marks = band.oscillator_tank, [m.dial_hz for m in band.marks]
            parts = {"if_hz": band.if_hz, "l_osc_h": tank["l_h"], "padder_f": tank["padder_f"]}
            yield band, tank, marks, parts

    def errors(self, marks: list[float], parts: dict[str, float], **off: float) -> list[float]:
        tank = dial.nominal_tank(dial_hz=marks, **parts)
        return list(tank.frequency_hz(**off) - parts["if_hz"] - np.array(marks))

    def test_what_moves_says_undoes_what_was_off(self) -> None:
        for band, tank, _, parts in self.tanks():
            points = [t["dial_hz"] for t in band.tracking if t["oscillator"]]
            for low_end, off in (("coil", {"coil": 0.03}), ("padder", {"padder": -0.05})):
                for trimmer_f in (3e-12, -2e-12):
                    e = self.errors(points, parts, **off, trimmer_f=trimmer_f)
                    found = dial.dial_moves(
                        dial1_hz=points[0], error1_hz=e[0], dial2_hz=points[1], error2_hz=e[1], within_hz=100.0, low_end=low_end, **parts
                    )
                    self.assertAlmostEqual(found.trimmer_change_f, -trimmer_f, delta=1e-15)
                    self.assertAlmostEqual(1.0 + found.coil_change_percent / 100.0, 1.0 / (1.0 + off[low_end]), places=6)
                    self.assertLess(found.shrink_per_round, 1.0, tank)

    def test_three_picofarads_too_much_on_long_wave_are_undone_and_nothing_else_is_moved(self) -> None:
        _, _, _, parts = next(self.tanks())
        self.assertEqual([round(e) for e in self.errors([160e3, 260e3], parts, trimmer_f=3e-12)], [-404, -1728])
        found = dial.dial_moves(dial1_hz=160e3, error1_hz=-403.588, dial2_hz=260e3, error2_hz=-1727.66, within_hz=100.0, **parts)
        self.assertAlmostEqual(found.trimmer_change_f, -3e-12, delta=2e-16)
        self.assertAlmostEqual(found.coil_change_percent, 0.0, delta=0.001)

    def test_two_plain_rounds_foretell_the_third_with_nothing_known_of_the_parts(self) -> None:
        """Done as at a bench: the low end by the padder, the high end by the trimmer, whatever the parts are."""
        _, _, _, parts = list(self.tanks())[1]
        marks, low_hz = (600e3, 1400e3), []
        tank, off = dial.nominal_tank(dial_hz=marks, **parts), {"padder": 0.08, "trimmer_f": 5e-12}

        def error(at: int) -> float:
            return float(tank.frequency_hz(**off)[at]) - parts["if_hz"] - marks[at]

        def bring(part: str, at: int, wanted_hz: float, low: float, high: float) -> None:
            for _ in range(80):  # more of either is a lower frequency
                off[part] = (low + high) / 2.0
                low, high = (off[part], high) if error(at) > wanted_hz else (low, off[part])

        for leave_hz in (0.0, 0.0):
            bring("padder", 0, leave_hz, -0.5, 0.5)
            bring("trimmer_f", 1, 0.0, -20e-12, 20e-12)
            low_hz.append(error(0))
        found = dial.third_round(error1_hz=low_hz[0], error2_hz=low_hz[1], within_hz=100.0)
        bring("padder", 0, found.leave_low_hz, -0.5, 0.5)
        bring("trimmer_f", 1, 0.0, -20e-12, 20e-12)
        self.assertLess(abs(error(0)), 0.05 * abs(found.shrink_per_round * low_hz[1]) + 1.0, "far nearer than a plain round")
        with self.assertRaises(NoAnswer):
            dial.third_round(error1_hz=1e3, error2_hz=-2e3, within_hz=100.0)

    def test_the_rounds_are_those_that_alternating_takes(self) -> None:
        _, _, _, parts = next(self.tanks())
        e = self.errors([160e3, 260e3], parts, coil=0.04, trimmer_f=4e-12)
        found = dial.dial_moves(dial1_hz=160e3, error1_hz=e[0], dial2_hz=260e3, error2_hz=e[1], within_hz=50.0, **parts)
        self.assertGreaterEqual(found.rounds, 2)
        finer = dial.dial_moves(
            dial1_hz=160e3, error1_hz=e[0], dial2_hz=260e3, error2_hz=e[1], within_hz=50.0 * found.shrink_per_round, **parts
        )
        self.assertIn(finer.rounds - found.rounds, (0, 1, 2))

    def test_one_adjuster_alone_undoes_what_it_alone_had_wrong(self) -> None:
        for _, tank, marks, parts in self.tanks():
            for adjuster, off in (("trimmer", {"trimmer_f": 2e-12}), ("coil", {"coil": 0.02}), ("padder", {"padder": 0.03})):
                found = dial.compromise(
                    dial_hz=marks,
                    error_hz=self.errors(marks, parts, **off),
                    weights=[1.0] * len(marks),
                    adjuster=adjuster,
                    exact=1,
                    **parts,
                )
                self.assertLess(found.equal_worst_hz, 1.0, (tank, adjuster))
                self.assertLess(found.exact_worst_hz, 1.0)

    def test_a_padder_is_named_when_it_alone_is_off_and_nothing_when_all_is_sound(self) -> None:
        for band, tank, marks, parts in self.tanks():
            signal = {"l_rf_h": band.signal_tank["l_h"], "rf_trim_f": band.signal_tank["trim_f"]}
            for tank_too in ({}, signal):
                sound = dial.padder_check(dial_hz=marks, error_hz=[0.0] * len(marks), trim_f=tank["trim_f"], **parts, **tank_too)
                self.assertEqual(sound.suspect, "none", band.id)
                self.assertLess(sound.left_hz, 1.0)
            drifted = dial.padder_check(dial_hz=marks, error_hz=self.errors(marks, parts, padder=0.15), trim_f=tank["trim_f"], **parts)
            self.assertEqual(drifted.suspect, "padder_f", band.id)
            self.assertAlmostEqual(drifted.padder_f / tank["padder_f"], 1.15, delta=0.01)

    def test_a_padder_that_cannot_be_is_refused(self) -> None:
        with self.assertRaises(OutOfRange):
            dial.nominal_tank(dial_hz=[160e3], if_hz=468e3, l_osc_h=355.4e-6, padder_f=50e-12)


class Uncertainty(unittest.TestCase):
    def test_what_is_carried_to_another_frequency_carries_its_uncertainty(self) -> None:
        rng = random.Random(5)
        told = []
        for _ in range(300):
            ppm = rng.uniform(-25.0, 25.0)
            e7, e28 = (f * ppm * 1e-6 + rng.gauss(0.0, 20.0) for f in (7e6, 28e6))
            told.append(frequency.reference_drift(at_hz=7e6, error_hz=e7, other_hz=28e6, other_error_hz=e28, unsure_hz=20.0).pattern)
        self.assertLessEqual(told.count("neither"), 6)
        self.assertEqual(told.count("constant"), 0)
        self.assertGreater(told.count("proportional"), 200)

    def test_how_sure_readings_are_is_asked_for(self) -> None:
        found = frequency.reference_drift(at_hz=7e6, error_hz=100.0, other_hz=28e6, other_error_hz=400.0)
        self.assertIn("how sure", found.pattern)

    def test_the_end_of_a_drift_that_was_hardly_watched_is_unknown(self) -> None:
        t = [60.0 * i for i in range(8)]
        with self.assertRaises(NoAnswer) as caught:
            drift.fit_drift(t_s=t, f_hz=[1e6 + 500.0 * math.exp(-x / 900.0) for x in t])
        self.assertIn("Watch it for longer", str(caught.exception))

    def test_a_level_too_low_is_not_nothing_to_turn_down(self) -> None:
        found = levels.true_level(dial_v=0.1, multiplier=1.0, pads_db=[60.0], r_ohm=50.0, wanted_v=0.1, knee_v=1.0)
        self.assertAlmostEqual(found.shortfall_db, -60.0)

    def test_a_resistor_from_a_trial_that_dropped_next_to_nothing_is_doubted(self) -> None:
        self.assertEqual(supply.dropping_resistor(r_trial_ohm=47, v_trial=139.1, v_wanted=131.5, v_source=142.0).verdict, "good")
        self.assertIn("doubtful", supply.dropping_resistor(r_trial_ohm=47, v_trial=141.9, v_wanted=131.5, v_source=142.0).verdict)


class Tones(unittest.TestCase):
    def tone(self, periods: float, *, amplitude: float = 0.5, third: float = 0.0) -> sine_fit.Recording:
        rate, f = 48e3, 1000.0
        t = np.arange(round(periods * rate / f)) / rate
        return sine_fit.Recording(rate, amplitude * (np.sin(2 * np.pi * f * t) + third * np.sin(6 * np.pi * f * t)))

    def test_a_clean_tone_has_no_distortion_wherever_the_record_ends(self) -> None:
        for periods in (10.5, 10.25, 7.3):
            self.assertLess(sine_fit.sinad(recording=self.tone(periods)).distortion_percent, 1e-3)

    @steady
    @given(st.floats(6.1, 30.0), st.floats(0.005, 0.2))
    def test_a_known_distortion_is_found(self, periods: float, third: float) -> None:
        found = sine_fit.sinad(recording=self.tone(periods, third=third))
        self.assertAlmostEqual(found.distortion_percent, 100.0 * third, delta=0.02 * 100.0 * third + 0.01)

    def test_a_full_scale_sine_is_not_clipped_and_a_clipped_one_is(self) -> None:
        self.assertLess(sine_fit.sinad(recording=self.tone(50.0, amplitude=1.0)).distortion_percent, 1e-3)
        whole = self.tone(50.0, amplitude=1.0).samples
        rounded = np.round(whole * 32767.0) / 32767.0
        self.assertLess(sine_fit.sinad(recording=sine_fit.Recording(48e3, rounded)).distortion_percent, 0.1)
        with self.assertRaises(NoAnswer):
            sine_fit.sinad(recording=sine_fit.Recording(48e3, np.clip(1.05 * whole, -1.0, 1.0)))
