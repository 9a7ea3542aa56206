"""Properties of the arithmetic: round trips, symmetries, monotony, scaling, known limits."""

import math
import random
import unittest
from itertools import pairwise

import numpy as np
from hypothesis import assume, given
from hypothesis import strategies as st

from calm_needle.core.physics import coils, dial, drift, frequency, modulation, noise, parts, supply, tracking
from calm_needle.core.physics.response import coupled_pair, fit_pair, pair_levels_db
from calm_needle.core.physics.sine_fit import Recording, fit_sine, sinad
from calm_needle.core.physics.superhet import image_ratio_db
from calm_needle.core.plausible import likely_instead, reading_instead
from calm_needle.errors import NoAnswer, OutOfRange
from tests.support.properties import steady

MEDIUM_WAVE = {"if_hz": 468e3, "l_rf_h": 185e-6, "f_low_hz": 525e3, "f_high_hz": 1605e3}


class Tracking(unittest.TestCase):
    def test_the_error_is_nothing_at_the_three_points(self) -> None:
        parts_ = tracking.three_point(f1_hz=600e3, f2_hz=950e3, f3_hz=1400e3, **MEDIUM_WAVE)
        for f in (600e3, 950e3, 1400e3):
            curve = tracking.error_curve(parts=parts_, if_hz=468e3, l_rf_h=185e-6, f_low_hz=f, f_high_hz=f * 1.0000001, points=2)
            self.assertLess(abs(curve.errors_hz[0]), 0.5)

    @steady
    @given(st.floats(100e3, 20e6), st.floats(1.5, 3.4), st.floats(0.1, 1.2))
    def test_best_points_have_four_equal_ripples_and_beat_any_other_choice(self, low: float, ratio: float, if_share: float) -> None:
        common = {"if_hz": if_share * low, "l_rf_h": 1e-4, "f_low_hz": low, "f_high_hz": low * ratio}
        best = tracking.best_points(**common)
        self.assertTrue(low < best.f1_hz < best.f2_hz < best.f3_hz < low * ratio)
        for spread in (0.9, 0.97, 1.02):
            middle = math.sqrt(low * low * ratio)
            f1, f3 = middle * (best.f1_hz / middle) ** spread, middle * (best.f3_hz / middle) ** spread
            try:
                other = tracking.three_point(f1_hz=f1, f2_hz=best.f2_hz, f3_hz=f3, **common)
            except (NoAnswer, OutOfRange):
                continue
            self.assertLessEqual(best.max_error_hz, other.max_error_hz * 1.01)

    @steady
    @given(st.floats(0.2, 5.0))
    def test_impedance_scaling_leaves_the_error_and_scales_the_parts(self, k: float) -> None:
        points = {"f1_hz": 600e3, "f2_hz": 950e3, "f3_hz": 1400e3}
        one = tracking.three_point(**points, **MEDIUM_WAVE)
        other = tracking.three_point(**points, **{**MEDIUM_WAVE, "l_rf_h": 185e-6 * k})
        self.assertAlmostEqual(other.max_error_hz / one.max_error_hz, 1.0, places=6)
        self.assertAlmostEqual(other.l_osc_h / one.l_osc_h / k, 1.0, places=6)
        self.assertAlmostEqual(other.padder_f / one.padder_f * k, 1.0, places=6)

    def test_points_out_of_order_are_refused_by_name(self) -> None:
        with self.assertRaises(OutOfRange) as caught:
            tracking.three_point(f1_hz=600e3, f2_hz=500e3, f3_hz=1400e3, **MEDIUM_WAVE)
        self.assertIn("f2_hz is 500.0\u2009kHz; it must be above f1_hz", str(caught.exception))


POINTS = (550e3, 600e3, 800e3, 1000e3, 1200e3, 1400e3, 1600e3)
BOOK = {"if_hz": 468e3, "l_osc_h": 102.7e-6, "trim_f": 28e-12, "padder_f": 480e-12, "l_rf_h": 185e-6, "rf_trim_f": 15e-12}


class Dial(unittest.TestCase):
    def errors(self, **off: float) -> list[float]:
        coil, trim, pad = (BOOK[k] * off.get(k, 1.0) for k in ("l_osc_h", "trim_f", "padder_f"))
        out = []
        for f in POINTS:
            gang = 1.0 / ((2 * math.pi * f) ** 2 * 185e-6) - 15e-12
            out.append(1.0 / (2 * math.pi * math.sqrt(coil / (1.0 / (gang + trim) + 1.0 / pad))) - 468e3 - f)
        return out

    def check(self, **off: float) -> dial.PadderCheck:
        noise_ = random.Random(1)
        measured = [e + noise_.gauss(0, 60.0) for e in self.errors(**off)]
        return dial.padder_check(dial_hz=POINTS, error_hz=measured, **BOOK)

    def test_the_one_part_that_is_off_is_named_and_measured(self) -> None:
        for name, by in (("padder_f", 0.92), ("padder_f", 1.08), ("l_osc_h", 1.04), ("trim_f", 1.4)):
            found = self.check(**{name: by})
            self.assertEqual(found.suspect, name)
            self.assertAlmostEqual(getattr(found, name) / BOOK[name] / by, 1.0, delta=0.02)

    def test_two_parts_off_are_not_put_on_one(self) -> None:
        self.assertEqual(self.check(l_osc_h=1.04, padder_f=0.93).suspect, "cannot say")

    def test_a_set_that_is_right_has_no_suspect(self) -> None:
        self.assertEqual(self.check().suspect, "none")

    @steady
    @given(st.floats(-0.01, 0.01), st.floats(-4e-12, 4e-12))
    def test_moving_what_it_says_cancels_both_errors(self, coil_off: float, trim_off: float) -> None:
        assume(abs(coil_off) + abs(trim_off) * 1e9 > 1e-3)
        l_osc = 1e-4

        def error(f: float, l_h: float, extra_f: float) -> float:
            oscillator = f + 468e3
            c = 1.0 / ((2 * math.pi * oscillator) ** 2 * l_osc) + extra_f
            return 1.0 / (2 * math.pi * math.sqrt(l_h * c)) - oscillator

        e1, e2 = (error(f, l_osc * (1 + coil_off), trim_off) for f in (600e3, 1400e3))
        moves = dial.dial_moves(dial1_hz=600e3, error1_hz=e1, dial2_hz=1400e3, error2_hz=e2, if_hz=468e3, l_osc_h=l_osc, within_hz=100.0)
        coil = l_osc * (1 + coil_off) * (1 + moves.coil_change_percent / 100.0)
        left = [error(f, coil, trim_off + moves.trimmer_change_f) for f in (600e3, 1400e3)]
        self.assertLess(max(map(abs, left)), 0.06 * max(abs(e1), abs(e2)) + 5.0)

    @steady
    @given(st.lists(st.floats(-20e3, 20e3), min_size=3, max_size=6), st.sampled_from(["coil", "trimmer"]))
    def test_no_other_setting_has_a_smaller_worst_error(self, errors: list[float], adjuster: str) -> None:
        f = [600e3 + 150e3 * i for i in range(len(errors))]
        found = dial.compromise(dial_hz=f, error_hz=errors, weights=[1.0] * len(f), if_hz=468e3, adjuster=adjuster, exact=1)
        after = dial.errors_after(dial_hz=f, error_hz=errors, if_hz=468e3, adjuster=adjuster)
        for k in range(-60, 61):
            worst = max(abs(e) for e in after(0.0005 * k))
            self.assertGreaterEqual(worst, found.equal_worst_hz - 1e-3)
        self.assertLessEqual(found.equal_worst_hz, found.exact_worst_hz + 1e-6)
        self.assertAlmostEqual(found.exact_leave_hz, 0.0, places=4)


class Response(unittest.TestCase):
    @steady
    @given(st.floats(0.3, 3.0), st.floats(20, 150))
    def test_in_tune_one_peak_becomes_two_at_critical_coupling(self, kappa: float, q: float) -> None:
        assume(abs(kappa - 1.0) > 0.05)
        found = coupled_pair(f1_hz=468e3, q1=q, f2_hz=468e3, q2=q, kappa=kappa)
        self.assertEqual(found.peak_low_hz != found.peak_high_hz, kappa > 1.0)
        if kappa > 1.0:
            self.assertAlmostEqual(found.dip_db, 20 * math.log10(2 * kappa / (1 + kappa**2)), delta=0.02)

    def test_the_bandwidth_at_critical_coupling(self) -> None:
        self.assertAlmostEqual(coupled_pair(f1_hz=1e6, q1=100, f2_hz=1e6, q2=100, kappa=1.0).bandwidth_3db_hz, math.sqrt(2) * 1e4, delta=20)

    def test_a_measured_pair_is_found_again(self) -> None:
        rng = np.random.default_rng(3)
        for truth in (
            {"f1_hz": 466e3, "q1": 80.0, "f2_hz": 470e3, "q2": 70.0, "kappa": 0.8},
            {"f1_hz": 468e3, "q1": 90.0, "f2_hz": 468.2e3, "q2": 85.0, "kappa": 0.6},
            {"f1_hz": 10.68e6, "q1": 60.0, "f2_hz": 10.72e6, "q2": 60.0, "kappa": 2.0},
        ):
            span = 4.0 * truth["f1_hz"] / truth["q1"]
            f = np.linspace(truth["f1_hz"] - span, truth["f1_hz"] + span, 401)
            db = pair_levels_db(f, **truth) - 17.0 + rng.normal(0, 0.05, 401)
            fit = fit_pair(frequencies_hz=f.tolist(), levels_db=db.tolist())
            self.assertLess(fit.residual_db, 0.08)
            fitted = pair_levels_db(f, f1_hz=fit.f1_hz, q1=fit.q1, f2_hz=fit.f2_hz, q2=fit.q2, kappa=fit.kappa) + fit.gain_db
            self.assertLess(float(np.abs(fitted - (db)).max()), 0.4)
            self.assertAlmostEqual((fit.f1_hz + fit.f2_hz) / (truth["f1_hz"] + truth["f2_hz"]), 1.0, delta=3e-4)

    def test_what_is_no_pair_is_refused(self) -> None:
        rng = random.Random(2)
        with self.assertRaises(NoAnswer):
            fit_pair(frequencies_hz=[1e6 + 1e3 * i for i in range(60)], levels_db=[rng.uniform(-60, 0) for _ in range(60)])

    @steady
    @given(st.floats(1.0, 300.0), st.integers(1, 4))
    def test_image_ratio_grows_with_q_and_adds_up_over_circuits(self, q: float, circuits: int) -> None:
        one = image_ratio_db(f_hz=10e6, if_hz=455e3, q=q, circuits=1, side="above")
        self.assertAlmostEqual(image_ratio_db(f_hz=10e6, if_hz=455e3, q=q, circuits=circuits, side="above"), circuits * one, places=9)
        self.assertGreater(image_ratio_db(f_hz=10e6, if_hz=455e3, q=1.1 * q, circuits=1, side="above"), one)


class Noise(unittest.TestCase):
    @steady
    @given(st.floats(0.1, 60), st.floats(100, 1e5), st.floats(10, 1000), st.floats(0.05, 1.0), st.floats(1, 40))
    def test_noise_figure_and_sensitivity_lead_back_to_each_other(self, nf: float, b: float, r: float, m: float, ratio: float) -> None:
        there = noise.am_sensitivity(nf_db=nf, bandwidth_hz=b, r_ohm=r, depth=m, ratio_db=ratio)
        back = noise.noise_figure_db(emf_v=there.emf_v, bandwidth_hz=b, r_ohm=r, depth=m, ratio_db=ratio)
        self.assertAlmostEqual(back, nf, places=6)

    def test_thirty_per_cent_and_ten_decibels_ask_a_hundred(self) -> None:
        self.assertAlmostEqual(noise.carrier_to_noise(depth=0.3, ratio_db=10.0), 100.0)

    def test_minus_174(self) -> None:
        self.assertAlmostEqual(noise.minimum_discernible(nf_db=0.0, bandwidth_hz=1.0).dbm, -173.975, places=3)

    def test_better_than_physics_is_no_answer(self) -> None:
        with self.assertRaises(NoAnswer):
            noise.noise_figure_db(emf_v=1e-9, bandwidth_hz=6e3, r_ohm=400)


class Frequencies(unittest.TestCase):
    def test_an_error_within_the_reference_s_own_cannot_be_told(self) -> None:
        self.assertIn("cannot say", frequency.frequency_error(nominal_hz=27e6, measured_hz=27.00001e6, reference_ppm=2).verdict)
        self.assertIn("more than", frequency.frequency_error(nominal_hz=27e6, measured_hz=27.001e6, reference_ppm=2).verdict)

    def test_a_second_frequency_tells_reference_from_oscillator(self) -> None:
        common = {"at_hz": 140e6, "error_hz": 2520.0, "other_hz": 170e6, "unsure_hz": 50.0}
        self.assertEqual(frequency.reference_drift(**common, other_error_hz=3060.0).pattern, "proportional")
        self.assertEqual(frequency.reference_drift(**common, other_error_hz=2530.0).pattern, "constant")
        self.assertEqual(frequency.reference_drift(**common, other_error_hz=-900.0).pattern, "neither")
        self.assertEqual(frequency.reference_drift(**{**common, "other_hz": 141e6}, other_error_hz=2530.0).pattern, "cannot say")

    def test_gaps_between_bands_are_found(self) -> None:
        found = frequency.band_overlap(lows_hz=[3.2e6, 0.5e6, 1.35e6], highs_hz=[9e6, 1.3e6, 3.4e6])
        self.assertEqual([round(x) for x in found.overlap_hz], [-50_000, 200_000])
        self.assertIn("a gap", found.verdict)

    def test_a_crystal_in_the_wrong_band(self) -> None:
        found = frequency.crystal_band(crystal_hz=17.43e6, if_hz=3.18e6, lows_hz=[7e6, 14e6, 20e6], highs_hz=[7.5e6, 14.5e6, 20.4e6])
        self.assertEqual((found.band_above, found.band_below), (2, 0))

    def test_the_oscillator_s_side_is_seen(self) -> None:
        self.assertEqual(frequency.oscillator_check(dial_hz=1e6, if_hz=468e3, osc_hz=1.47e6).side, "above")
        self.assertEqual(frequency.oscillator_check(dial_hz=10e6, if_hz=468e3, osc_hz=9.5e6).side, "below")

    @steady
    @given(st.floats(-3e3, 3e3).filter(lambda d: abs(d) > 50), st.floats(60, 2000))
    def test_a_warm_up_is_found_again(self, delta: float, tau: float) -> None:
        t = [tau * x / 6.0 for x in range(25)]
        found = drift.fit_drift(t_s=t, f_hz=[1.868e6 + delta * math.exp(-x / tau) for x in t])
        self.assertAlmostEqual(found.tau_s / tau, 1.0, delta=1e-3)
        self.assertAlmostEqual(found.delta_hz / delta, 1.0, delta=1e-3)
        self.assertAlmostEqual(found.f_final_hz, 1.868e6, delta=0.01 * abs(delta))

    def test_a_straight_line_has_no_time_constant(self) -> None:
        with self.assertRaises(NoAnswer):
            drift.fit_drift(t_s=[0, 1, 2, 3, 4], f_hz=[100, 101, 102, 103, 104])

    def test_modulation(self) -> None:
        self.assertAlmostEqual(modulation.deviation_at_null_hz(tone_hz=1e3, null=2), 5520.08, places=2)
        self.assertEqual(modulation.depth_of(v_max=2.0, v_min=0.0), 1.0)
        self.assertAlmostEqual(modulation.power_in_load(v_pp=40.0, r_ohm=50.0).watts, 4.0)


class PartsAndCoils(unittest.TestCase):
    @steady
    @given(st.floats(1e-13, 1e3))
    def test_a_stock_value_is_never_further_than_half_a_step(self, value: float) -> None:
        self.assertLess(abs(math.log(parts.nearest_stock(value) / value)), math.log(1.2) / 2.0)

    def test_a_part_at_its_limit_cannot_be_judged_with_a_poor_meter(self) -> None:
        self.assertEqual(parts.tolerance(nominal=100, measured=120.5, tolerance_percent=20).verdict, "out of tolerance")
        self.assertIn("cannot say", parts.tolerance(nominal=100, measured=120.5, tolerance_percent=20, meter_percent=1).verdict)

    def test_a_few_picofarads(self) -> None:
        self.assertIn("cannot say", parts.small_capacitance(reading_f=4.1e-12, zero_f=2.9e-12, unsure_f=0.5e-12).verdict)
        self.assertEqual(parts.small_capacitance(reading_f=41e-12, zero_f=2.9e-12, unsure_f=0.5e-12).verdict, "meaningful")

    @steady
    @given(st.lists(st.tuples(st.floats(1e-11, 5e-10), st.floats(1e-11, 5e-10)), min_size=1, max_size=12))
    def test_sections_may_change_places(self, pairs: list[tuple[float, float]]) -> None:
        a, b = ([p[i] for p in pairs] for i in (0, 1))
        one, other = parts.gang_match(a_f=a, b_f=b, l_h=2e-4), parts.gang_match(a_f=b, b_f=a, l_h=2e-4)
        self.assertAlmostEqual(one.worst_hz, other.worst_hz, delta=1e-6 * one.worst_hz + 1e-9)
        self.assertEqual(parts.gang_match(a_f=a, b_f=a, l_h=2e-4).worst_hz, 0.0)

    @steady
    @given(st.floats(1e-5, 1e-2), st.floats(1.05, 3.0), st.floats(100e3, 2e6))
    def test_the_transformer_s_capacitor_puts_the_if_inside_the_reach(self, low: float, ratio: float, f: float) -> None:
        found = coils.transformer_capacitor(if_hz=f, l_min_h=low, l_max_h=low * ratio)
        self.assertTrue(found.f_low_hz < f < found.f_high_hz)
        self.assertAlmostEqual(math.sqrt(found.f_low_hz * found.f_high_hz) / f, 1.0, places=9)

    @steady
    @given(st.floats(1e-5, 1e-3), st.floats(0.1, 1e3))
    def test_gauge_from_the_ohms_of_a_wire(self, diameter: float, length: float) -> None:
        ohm = coils.COPPER_OHM_M * length / (math.pi * diameter**2 / 4)
        self.assertAlmostEqual(coils.wire(ohm=ohm, length_m=length).diameter_m / diameter, 1.0, places=9)

    def test_wheeler_against_the_infinite_solenoid(self) -> None:
        # mu0 N^2 A / l, which a coil a hundred times as long as thick approaches
        ideal = 4e-7 * math.pi * 1000**2 * math.pi * 0.005**2 / 1.0
        self.assertAlmostEqual(coils.solenoid_h(turns=1000, diameter_m=0.01, length_m=1.0) / ideal, 1.0, delta=0.02)

    @steady
    @given(st.floats(1e-6, 1e-2), st.floats(1, 1000), st.floats(0.3, 3.0))
    def test_twice_the_turns_are_four_times_the_inductance(self, l_h: float, turns: float, k: float) -> None:
        self.assertAlmostEqual(coils.turns_for(l_from_h=l_h, turns=turns, l_to_h=l_h * k * k) / (turns * k), 1.0, places=9)

    def test_a_dip_is_good_shallow_or_none(self) -> None:
        f = [460e3 + 1e3 * i for i in range(11)]
        for depth, words in ((0.95, "a good dip"), (0.2, "shallow"), (0.01, "no dip")):
            v = [1.0 - depth / (1.0 + ((x - 465e3) / 1.5e3) ** 2) for x in f]
            found = coils.dip(f_hz=f, v=v)
            self.assertIn(words, found.verdict)
            self.assertAlmostEqual(found.f0_hz, 465e3, delta=60)
            self.assertEqual(found.seen, depth > 0.1)

    def test_a_dip_with_one_side_only_is_not_yet_one(self) -> None:
        f = [460e3 + 1e3 * i for i in range(11)]
        for down in (f, f[::-1]):
            found = coils.dip(f_hz=f, v=[1.0 / (1.0 + down.index(x)) for x in f])
            self.assertEqual(found.verdict, coils.DIP_AT_END)
            self.assertFalse(found.seen)

    @steady
    @given(st.floats(50, 300), st.floats(1, 1e4), st.floats(0.3, 0.97), st.floats(0.3, 0.97))
    def test_the_dropping_resistor_brings_the_rail_there(self, source: float, trial: float, a: float, b: float) -> None:
        found = supply.dropping_resistor(r_trial_ohm=trial, v_trial=a * source, v_wanted=b * source, v_source=source)
        load = a * source * trial / (source - a * source)
        self.assertAlmostEqual(source * load / (load + found.r_ohm), b * source, places=6)


class Recordings(unittest.TestCase):
    @staticmethod
    def tone(*, rate: float = 48e3, f: float = 1000.3, seconds: float = 1.0, noise_db: float = -40.0, second: float = 0.0) -> Recording:
        rng = np.random.default_rng(5)
        t = np.arange(int(rate * seconds)) / rate
        x = 0.5 * np.sin(2 * math.pi * f * t + 0.7) + 0.5 * second * np.sin(4 * math.pi * f * t)
        return Recording(rate, x + 0.5 / math.sqrt(2) * 10 ** (noise_db / 20) * rng.normal(size=len(t)))

    @steady
    @given(st.floats(50, 20e3), st.floats(-80, -10), st.sampled_from([44.1e3, 48e3, 96e3]))
    def test_the_ratio_that_was_mixed_is_found_again(self, f: float, noise_db: float, rate: float) -> None:
        found = sinad(recording=self.tone(rate=rate, f=f, seconds=0.3, noise_db=noise_db), tone_hz=f)
        self.assertAlmostEqual(found.sinad_db, 10 * math.log10(1 + 10 ** (-noise_db / 10)), delta=0.5)
        self.assertAlmostEqual(found.tone_hz / f, 1.0, delta=2e-3)

    def test_distortion_is_told_from_noise(self) -> None:
        found = sinad(recording=self.tone(second=0.02, noise_db=-60))
        self.assertAlmostEqual(found.distortion_percent, 2.0, delta=0.1)

    def test_the_fit_needs_no_whole_number_of_periods(self) -> None:
        t = np.arange(1234) / 8000.0
        fit = fit_sine(samples=0.3 * np.cos(2 * math.pi * 401.7 * t + 1.0) + 0.05, rate_hz=8000.0, start_hz=402.0)
        self.assertAlmostEqual(fit.frequency_hz, 401.7, places=6)
        self.assertAlmostEqual(fit.amplitude, 0.3, places=9)
        self.assertLess(fit.residual, 1e-9)

    def test_what_cannot_be_judged_is_refused_in_words(self) -> None:
        for recording, words in (
            (Recording(48e3, np.zeros(48000)), "silent"),
            (Recording(48e3, np.zeros(10)), "too few"),
            (Recording(48e3, np.clip(3 * self.tone().samples, -1, 1)), "clipped"),
            (self.tone(f=20.0, seconds=0.1), "three periods"),
        ):
            with self.assertRaises(NoAnswer) as caught:
                sinad(recording=recording, tone_hz=20.0 if words == "three periods" else None)
            self.assertIn(words, str(caught.exception))


class UnitHygiene(unittest.TestCase):
    def test_kilo_and_mega_swapped(self) -> None:
        self.assertEqual(likely_instead(455e6, sensible=(40e3, 120e6)), 455e3)
        self.assertEqual(likely_instead(1200e6, sensible=(10e3, 600e6)), 1.2e6)
        self.assertIsNone(likely_instead(468e3, sensible=(40e3, 120e6)))
        self.assertIsNone(likely_instead(200e6, sensible=(190e6, 191e6)))

    @steady
    @given(st.floats(50e3, 500e3), st.sampled_from([1e-6, 1e-3, 1e3, 1e6]))
    def test_one_slip_of_a_prefix_is_undone(self, value: float, slip: float) -> None:
        assume(not 40e3 <= value * slip <= 600e3)
        likely = likely_instead(value * slip, sensible=(40e3, 600e3))
        assert likely is not None
        self.assertTrue(40e3 <= likely <= 600e3)

    def test_a_reading_out_of_all_scale_with_the_one_before(self) -> None:
        self.assertAlmostEqual(reading_instead(412.0, before=0.398) or 0.0, 0.412)
        self.assertIsNone(reading_instead(0.2, before=0.398))

    def test_the_needle_itself_is_not_doubted(self) -> None:
        levels = [10 ** (x / 20) for x in range(-40, 1, 5)]
        self.assertTrue(all(reading_instead(b, before=a) is None for a, b in pairwise(levels)))
