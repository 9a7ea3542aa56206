"""Curves, patterns of frequency errors, soaks, registers, comparisons and limits: what is read off, and when nothing can be said."""

import math
import random
import statistics
import unittest
from typing import ClassVar

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.physics.response import coupled_pair, pair_levels_db
from calm_needle.core.verification.compare import compared
from calm_needle.core.verification.curves import gain_control, selectivity, sound
from calm_needle.core.verification.frequency_pattern import Checked, pattern_of
from calm_needle.core.verification.measures import MEASURES, Figure, Limit, judge, limit_of
from calm_needle.core.verification.register import TAKEN, UNITS, Check, sure_of
from calm_needle.core.verification.soak import Entry, attended, quiet_asked_for, watch
from calm_needle.errors import CalmNeedleError, NoAnswer, OutOfRange


class Curves(unittest.TestCase):
    def test_widths_of_a_coupled_pair_are_those_that_its_equation_has(self) -> None:
        import numpy as np

        pair = {"f1_hz": 468e3, "q1": 90.0, "f2_hz": 468e3, "q2": 85.0, "kappa": 0.7}
        offsets = [float(x) for x in np.arange(-20e3, 20.1e3, 100.0)]
        levels = pair_levels_db(np.array(offsets) + 468e3, **pair)
        down = [float(levels.max() - x) for x in levels]
        found = selectivity(offsets_hz=offsets, down_db=down)
        at_3_db = coupled_pair(**pair).bandwidth_3db_hz
        assert found.width_6db_hz
        self.assertGreater(found.width_6db_hz, at_3_db)
        inside = [o for o, d in zip(offsets, down, strict=True) if d <= 6.0]
        self.assertAlmostEqual(found.width_6db_hz, max(inside) - min(inside), delta=200.0)
        self.assertIsNone(found.width_60db_hz)  # one pair does not go so deep over these offsets
        self.assertIsNone(found.shape)

    def test_a_width_is_as_sure_as_it_says_however_narrow_beside_its_points(self) -> None:
        """Pairs in cascade by their equation, in numpy, read at the offsets of the bench; from 100 Hz to 3.5 kHz wide, off centre."""
        rng = np.random.default_rng(3)
        grid = 1e3 * np.array([-20, -14, -10, -7, -5, -4, -3, -2, -1, 0, 1, 2, 3, 4, 5, 7, 10, 14, 20])
        fine = np.linspace(-20e3, 20e3, 40_001)
        inside, share = [], []
        for _ in range(400):
            kappa, cans, unit, centre = rng.uniform(0.4, 1.3), rng.integers(1, 4), rng.uniform(100.0, 3500.0), rng.uniform(-400.0, 400.0)

            def down(f, k=kappa, n=cans, u=unit, c=centre):  # type: ignore[no-untyped-def]
                a = (f - c) / u
                return 20.0 * n * np.log10(np.abs((1.0 + 1j * a) ** 2 + k * k))

            read, true = down(grid), down(fine)
            within = fine[true - true.min() <= 6.0]
            found = selectivity(offsets_hz=grid.tolist(), down_db=(read - read.min()).tolist())
            if found.width_6db_hz is not None and found.width_6db_u95_hz is not None:
                inside.append(abs(found.width_6db_hz - (within[-1] - within[0])) <= found.width_6db_u95_hz)
                share.append(found.width_6db_u95_hz / found.width_6db_hz)
        self.assertGreater(np.mean(inside), 0.92)
        self.assertLess(np.median(share), 0.08)

    def test_shape_factor_and_middle(self) -> None:
        found = selectivity(offsets_hz=[-9e3, -6e3, -3e3, 0, 3.2e3, 6e3, 9e3], down_db=[66, 26, 6, 0, 6, 26, 66])
        assert found.width_6db_hz and found.width_60db_hz and found.shape and found.centre_hz is not None
        self.assertAlmostEqual(found.width_6db_hz, 6200.0)
        self.assertAlmostEqual(found.centre_hz, 100.0)
        self.assertAlmostEqual(found.shape, found.width_60db_hz / 6200.0)

    def test_gain_control_begins_where_the_output_is_held(self) -> None:
        levels = [10e-6 * 10 ** (k / 4) for k in range(17)]
        outputs = [v * 1e4 if v < 1e-3 else 10.0 * (v / 1e-3) ** 0.2 for v in levels]
        found = gain_control(levels_v=levels, outputs_v=outputs)
        assert found.begins_v
        self.assertAlmostEqual(found.begins_v, 1e-3, delta=1e-4)
        self.assertAlmostEqual(found.output_db, 0.2 * found.input_db, delta=0.1)
        free = gain_control(levels_v=levels, outputs_v=[v * 100 for v in levels])
        self.assertIsNone(free.begins_v)

    def test_limits_of_the_sound_are_where_it_has_fallen_by_three_decibels(self) -> None:
        tones = [50.0, 100.0, 200.0, 400.0, 800.0, 1600.0, 3200.0, 6400.0]
        outputs = [1.0 / (math.hypot(1.0, 80.0 / f) * math.hypot(1.0, f / 4000.0)) for f in tones]
        found = sound(tones_hz=tones, outputs_v=outputs)
        assert found.low_hz and found.high_hz
        self.assertAlmostEqual(found.low_hz, 80.0, delta=12.0)
        self.assertAlmostEqual(found.high_hz, 4000.0, delta=400.0)
        self.assertIsNone(sound(tones_hz=[200.0, 400.0, 800.0], outputs_v=[1.0, 1.0, 1.0]).high_hz)

    def test_what_cannot_be_a_curve_is_refused_by_name(self) -> None:
        with self.assertRaisesRegex(OutOfRange, "down_db"):
            selectivity(offsets_hz=[0, 1, 2, 3, 4], down_db=[0, 1])
        with self.assertRaisesRegex(OutOfRange, "offsets_hz"):
            selectivity(offsets_hz=[0, 1], down_db=[0, 1])
        with self.assertRaisesRegex(NoAnswer, "twice"):
            selectivity(offsets_hz=[0, 0, 1, 2, 3], down_db=[0, 0, 1, 2, 3])


def points(*errors: tuple[str, float, float], sigma: float = 5.0) -> list[Checked]:
    return [Checked(band, nominal, nominal + error, sigma) for band, nominal, error in errors]


class FrequencyPatterns(unittest.TestCase):
    def test_one_frequency_is_no_accuracy_and_the_one_that_tells_is_named(self) -> None:
        found = pattern_of(points(("MW", 1e6, 200.0)), reachable_hz=[0.9e6, 10e6])
        self.assertEqual((found.pattern, found.next_hz), ("one point", 10e6))
        self.assertIn("10.00\u2009MHz would tell", found.sentence)
        near = pattern_of(points(("MW", 1e6, 4.0)), reachable_hz=[1.1e6])
        self.assertIsNone(near.next_hz)  # the laws differ by less there than the readings leave open

    def test_proportional_constant_of_one_band_right_and_neither(self) -> None:
        for errors, pattern in (
            ((("A", 1e6, 100.0), ("B", 5e6, 498.0), ("C", 20e6, 2005.0)), "proportional"),
            ((("A", 1e6, 301.0), ("B", 5e6, 298.0), ("C", 20e6, 304.0)), "constant"),
            ((("A", 1e6, 2.0), ("B", 5e6, -3.0)), "right"),
            ((("A", 1e6, 3.0), ("B", 5e6, -2.0), ("C", 20e6, 4000.0)), "of one band"),
            ((("A", 1e6, 900.0), ("A", 1.4e6, -900.0), ("B", 5e6, 20.0), ("B", 6e6, 700.0)), "neither"),
        ):
            with self.subTest(pattern):
                self.assertEqual(pattern_of(points(*errors)).pattern, pattern)
        ppm = pattern_of(points(("A", 1e6, 100.0), ("B", 5e6, 498.0), ("C", 20e6, 2005.0))).ppm
        assert ppm
        self.assertAlmostEqual(ppm, 100.0, delta=1.0)

    def test_two_frequencies_that_lie_close_tell_neither_law_and_what_each_foretells_is_said(self) -> None:
        found = pattern_of(points(("40 m", 7.0e6, 210.0), ("40 m", 7.2e6, 214.0)), reachable_hz=[7.3e6, 28e6])
        self.assertEqual((found.pattern, found.next_hz), ("cannot be told", 28e6))
        self.assertIn("28.00\u2009MHz would tell: off by +836.0\u2009Hz or +212.0\u2009Hz there", found.sentence)
        self.assertIsNone(pattern_of(points(("40 m", 7.0e6, 21.0), ("40 m", 7.2e6, 19.0)), reachable_hz=[7.3e6]).next_hz)
        rng, wrong = random.Random(8), 0
        for k in range(400):
            law = "proportional" if k % 2 else "constant"
            errors = [(f, rng.gauss(210.0 * (f / 7.0e6 if k % 2 else 1.0), 5.0)) for f in (7.0e6, 7.2e6)]
            wrong += pattern_of(points(*(("40 m", f, e) for f, e in errors))).pattern not in (law, "cannot be told")
        self.assertLess(wrong, 8)

    @given(st.floats(1e5, 3e7), st.floats(1.5, 30.0), st.floats(-300.0, 300.0))
    def test_a_proportional_error_is_never_called_constant_where_the_two_can_be_told(self, low: float, times: float, ppm: float) -> None:
        found = pattern_of([Checked("A", f, f * (1.0 + ppm * 1e-6), 1.0) for f in (low, low * times)])
        self.assertNotEqual(found.pattern, "constant" if abs(ppm) * 1e-6 * low * (times - 1.0) > 10.0 else "")


class Soaks(unittest.TestCase):
    def test_quiet_is_asked_for_by_how_often_it_happened_and_a_cause(self) -> None:
        events = [Entry(3600.0 * k, "event") for k in (1, 2, 3)]
        found = watch(events, on_s=4 * 3600.0)
        self.assertEqual((found.mean_s, round(found.needed_s / 3600.0, 2), round(found.left_s / 3600.0, 2)), (3600.0, 5.14, 4.14))
        self.assertEqual(found.verdict.state, "watch")
        quiet = watch(events, on_s=8.5 * 3600.0)
        self.assertIn("not found", quiet.verdict.sentence)
        self.assertFalse(quiet.closed)
        removed = watch([*events, Entry(3.1 * 3600.0, "cause removed", "the wafer of S2")], on_s=8.6 * 3600.0)
        self.assertTrue(removed.closed)
        self.assertIn("the wafer of S2 was seen and removed", removed.verdict.sentence)

    def test_so_long_a_quiet_comes_five_times_in_a_hundred_while_the_fault_is_still_there(self) -> None:
        rng = random.Random(19)
        for events in (1, 2, 5):
            early = 0
            for _ in range(4000):
                seconds = sum(rng.expovariate(1.0) for _ in range(events))
                early += rng.expovariate(1.0) > quiet_asked_for(events, seconds=seconds)
            self.assertAlmostEqual(early / 4000, 0.05, delta=0.012)

    def test_with_no_event_seen_nothing_is_good(self) -> None:
        for on_s, owner_s, words in (
            (1e6, None, "ask its owner"),
            (3600.0, 7200.0, "Not found yet"),
            (1e6, 7200.0, "not found here"),
        ):
            found = watch([], on_s=on_s, owner_s=owner_s)
            self.assertEqual((found.verdict.state, found.closed), ("watch", False))
            self.assertIn(words, found.verdict.sentence)

    def test_what_runs_on_alone_counts_for_half_an_hour(self) -> None:
        self.assertEqual(attended([600.0, 9600.0], on_s=20000.0), [600.0, 2400.0, 4200.0])

    def test_smoke_wants_its_own_cause_however_long_it_is_quiet(self) -> None:
        found = watch([Entry(60.0, "cause removed", "C8"), Entry(600.0, "smoke")], on_s=1e6)
        self.assertEqual((found.verdict.state, found.closed), ("stop", False))

    def test_what_answers_twice_when_touched_is_where_to_look(self) -> None:
        found = watch([Entry(10.0, "provoked", "V2"), Entry(20.0, "provoked", "can"), Entry(30.0, "provoked", "V2")], on_s=100.0)
        self.assertEqual(found.places, ("V2",))

    @given(st.lists(st.floats(0.0, 1e5), max_size=12), st.floats(1e5, 1e6))
    def test_it_never_closes_before_the_time_asked_for(self, times: list[float], on_s: float) -> None:
        found = watch([Entry(t, "event") for t in sorted(times)], on_s=on_s)
        if found.closed:
            self.assertGreaterEqual(found.quiet_s, found.needed_s)


class Sureness(unittest.TestCase):
    DAYS: ClassVar[dict[str, str]] = {"today": "2026-11-26", "soon": "2026-12-26"}

    def test_unchecked_checked_due_and_overdue(self) -> None:
        def sure(due: str | None) -> tuple[str, float]:
            checks = [] if due is None else [Check("generator", "level", "2026-01-05", due or None, "a power meter", 0.2)]
            found = sure_of(checks, instrument="generator", quantity="level", **self.DAYS)
            return found.state, found.uncertainty

        self.assertEqual(sure(None), ("never checked", TAKEN["generator", "level"]))
        self.assertEqual(sure("2027-06-01"), ("checked", 0.2))
        self.assertEqual(sure("2026-12-10"), ("due soon", 0.2))
        self.assertEqual(sure("2026-11-01"), ("overdue", 0.4))
        self.assertEqual(sure(""), ("checked", 0.2))
        self.assertEqual({q for _, q in TAKEN} - set(UNITS), set())

    def test_what_a_paper_gives_is_kept_and_converted(self) -> None:
        rng = random.Random(2)
        for given_as, draw in (
            ("uncertainty (95 %)", lambda: rng.gauss(0.0, 0.5)),
            ("standard deviation", lambda: rng.gauss(0.0, 1.0)),
            ("limits of error", lambda: rng.uniform(-1.0, 1.0)),
        ):
            checks = [Check("generator", "level", "2026-01-05", None, "its maker", 1.0, given_as)]
            found = sure_of(checks, instrument="generator", quantity="level", **self.DAYS)
            self.assertEqual("given as" in found.words, given_as != "uncertainty (95 %)")
            # Its standard deviation is that of what is meant.
            self.assertAlmostEqual(found.sigma, statistics.pstdev(draw() for _ in range(20000)), delta=0.02)


class LikeWithLike(unittest.TestCase):
    def test_what_differs_is_named_and_what_nobody_noted_is_not_held_against_it(self) -> None:
        one = {"band": "MW", "at_hz": 1e6, "coupling": "dummy aerial", "definition": "s-plus-n"}
        self.assertTrue(compared(one, {**one, "at_hz": 1.01e6}).alike)
        self.assertTrue(compared(one, {"band": "MW", "at_hz": 1e6}).alike)
        other = compared(one, {**one, "at_hz": 0.6e6, "coupling": "a loop", "definition": "sinad"})
        self.assertEqual(set(other.differs), {"at another frequency", "coupled otherwise", "by another definition"})


class Limits(unittest.TestCase):
    def test_a_set_exactly_at_its_limit_seldom_passes_and_the_chance_is_said(self) -> None:
        rng, limit, sigma_db = random.Random(9), Limit("15 µV at most", most=15e-6), 0.4
        for beyond_db, most in ((0.0, 0.035), (0.25 * 2.0 * sigma_db, 0.02)):
            passed = 0
            for _ in range(4000):
                read_v = 15e-6 * 10.0 ** ((beyond_db + rng.gauss(0.0, sigma_db)) / 20.0)
                passed += judge(Figure("level", read_v, "V"), limit, u95=2.0 * sigma_db, in_db=True).state == "good"
            self.assertLessEqual(passed, most * 4000)
        at_limit = judge(Figure("level", 15e-6, "V"), limit, u95=0.8, in_db=True)
        self.assertIn("The chance that it is within is 50 %", at_limit.sentence)

    def test_within_beyond_not_reached_and_too_near_to_say(self) -> None:
        limit = Limit("15 µV at most", most=15e-6)
        for volts, u95, state in (
            (9e-6, 0.6, "good"),
            (30e-6, 0.6, "stop"),
            (15.3e-6, 1.0, "watch"),
            (14.6e-6, 0.3, "watch"),
            (None, 0.0, "stop"),
        ):
            self.assertEqual(judge(Figure("level", volts, "V"), limit, u95=u95, in_db=True).state, state)
        self.assertEqual(judge(Figure("level", 1.0, "V"), None).state, "blank")
        self.assertEqual(judge(Figure("image", 40.0, "dB"), Limit("at least 50 dB", least=50.0)).state, "stop")

    def test_papers_are_held_against_the_same_definition_only(self) -> None:
        papers = [
            {"id": "sensitivity-mw", "band": "MW", "most_v": 150e-6},
            {"id": "noise-mw", "band": "MW", "most_v": 9e-6, "ratio_db": 10},
        ]
        measure = MEASURES["sensitivity"]
        for definition, most in (("standard-output", 150e-6), ("s-plus-n", 9e-6), ("sinad", None)):
            found = limit_of(measure, papers, {"band": "MW", "definition": definition})
            self.assertEqual(found.most if found else None, most)

    def test_each_measure_makes_figures_of_what_it_asks_and_refuses_the_rest_in_words(self) -> None:
        examples: dict[str, dict[str, object]] = {
            "sensitivity": {"definition": "s-plus-n", "level_v": 9e-6},
            "image": {"signal_v": 10e-6, "other_v": 1e-3},
            "if-ratio": {"signal_v": 10e-6, "most_v": 0.1},
            "spurious": {"signal_v": 10e-6, "other_v": 5e-3},
            "selectivity": {"offsets_hz": [-9e3, -3e3, 0.0, 3e3, 9e3], "down_db": [44.0, 6.5, 0.0, 6.5, 44.0]},
            "gain-control": {"levels_v": [1e-5, 1e-4, 1e-3, 1e-2], "outputs_v": [0.01, 0.1, 0.2, 0.25]},
            "strength": {"marks": [1.0, 5.0, 9.0], "levels_v": [1e-5, 2.5e-4, 6e-3]},
            "audio": {"tones_hz": [50.0, 400.0, 6000.0], "outputs_v": [0.2, 1.0, 0.3]},
            "distortion": {"distortion_percent": 3.1},
            "frequency": {"nominal_hz": 1e6, "measured_hz": 1000120.0, "reference_ppm": 2.0},
            "window": {"nominal_hz": 27.2e6, "lower_hz": 27.196e6, "upper_hz": 27.203e6, "step_hz": 500.0},
            "drift": {
                "minutes": [0.0, 3.0, 8.0, 15.0, 30.0, 60.0],
                "readings_hz": [1e6 + 900.0 * math.exp(-m / 12.0) for m in (0.0, 3.0, 8.0, 15.0, 30.0, 60.0)],
                "within_hz": 50.0,
            },
        }
        self.assertEqual(set(examples), set(MEASURES))
        for name, values in examples.items():
            with self.subTest(name):
                figures = MEASURES[name].figures(values)
                self.assertTrue(figures[0].shown)
                if draws := MEASURES[name].draws:
                    drawn = draws(values)
                    assert drawn
                    self.assertGreater(len(drawn.lines[0].points), 1)
        self.assertAlmostEqual(MEASURES["image"].figures(examples["image"])[0].value or 0.0, 40.0)
        self.assertIn("more than", MEASURES["if-ratio"].figures(examples["if-ratio"])[0].name)
        with self.assertRaises(CalmNeedleError):
            MEASURES["strength"].figures({"marks": [1.0], "levels_v": [1e-5]})
        steady = MEASURES["drift"].figures(examples["drift"])[0].value
        assert steady is not None
        self.assertAlmostEqual(steady, 12.0 * math.log(18.0), delta=0.5)
