"""The dial solved: parts from readings, settings that nothing betters, moves after which all is right, and what does not fit."""

import itertools
import math
import random
import unittest
from collections.abc import Mapping

import numpy as np

from calm_needle.core.physics.dial_causes import Doubt, cause_of, doubts_about
from calm_needle.core.physics.dial_fit import BELIEVED, Drawn, Fit, GangAt, Reading, fit
from calm_needle.core.physics.dial_setting import best_setting, moves_to
from calm_needle.errors import NoAnswer

MARKS = (525e3, 550e3, 600e3, 700e3, 800e3, 1000e3, 1200e3, 1400e3, 1605e3)
MEDIUM = Drawn(MARKS, 468e3, 1, 96.89e-6, 53.09e-12, 508.9e-12, ("trimmer", "padder"))
SURE_HZ = 20.0


def heard(drawn: Drawn, changes: Mapping[str, float], *at_hz: float, off_hz: Mapping[float, float] | None = None) -> list[Reading]:
    """What such a set would be read to receive, in truth, or beside it."""
    truth = drawn.receives_hz(changes, drawn.gang(at_hz)).tolist()
    return [Reading(f, r + (off_hz or {}).get(f, 0.0), SURE_HZ) for f, r in zip(at_hz, truth, strict=True)]


def known(drawn: Drawn, changes: Mapping[str, float]) -> Fit:
    """A band of which everything is known."""
    parts = [p for p in ("coil", "trimmer", "padder", "gang value", "gang shape") if p != "padder" or drawn.padder_f]
    values = np.array([changes.get(p, 0.0) for p in parts])
    return Fit(drawn, tuple((p, 0) for p in parts), values, 1e-16 * np.eye(len(parts)), np.zeros(1), {})


def off(rng: random.Random) -> dict[str, float]:
    """How far a set of the class is off its papers, somebody having turned what turns."""
    shares = {"coil": 0.03, "padder": 0.03, "trimmer": 0.6, "gang value": 0.01, "gang shape": 0.01}
    return {name: rng.uniform(-most, most) for name, most in shares.items()}


def some_band(rng: random.Random) -> Drawn:
    """A band within what sets of the class have: with a padder or none, its oscillator above or below, any of its parts to be turned."""
    ratio, side = rng.uniform(1.6, 3.05), rng.choice((1, 1, -1))
    intermediate = rng.choice((110e3, 128e3, 455e3, 468e3))
    low = rng.uniform(3.0, 12.0) * intermediate if side < 0 else rng.choice((150e3, 525e3, 2e6, 6e6)) * rng.uniform(0.9, 1.1)
    while True:
        marks = tuple(low * ratio ** (i / 8.0) for i in range(9))
        f_low, f_high = marks[0] + side * intermediate, marks[-1] + side * intermediate
        most_f, padder_f = rng.uniform(350e-12, 520e-12), rng.uniform(200e-12, 6e-9) if rng.random() < 0.7 else None
        at_low = most_f if padder_f is None else 1.0 / (1.0 / most_f + 1.0 / padder_f)
        l_h = 1.0 / (at_low * (2.0 * math.pi * f_low) ** 2)
        at_high = 1.0 / (l_h * (2.0 * math.pi * f_high) ** 2)
        across = at_high if padder_f is None else 1.0 / (1.0 / at_high - 1.0 / padder_f)
        if 20e-12 < across < 300e-12:
            turns = [p for p in ("coil", "trimmer", "padder") if p != "padder" or padder_f]
            return Drawn(marks, intermediate, side, l_h, 0.6 * across, padder_f, tuple(rng.sample(turns, rng.randint(1, 2))))


def searched(found: Fit) -> float:
    """The least worst error over the marks by trying: a grid over all that turns, ever closer. Shares nothing with what it checks."""
    parts, marks = found.drawn.turnable, np.asarray(found.drawn.marks_hz)[:, None]
    limits, at = [found.drawn.limits(p) for p in parts], found.drawn.gang(found.drawn.marks_hz)
    column = GangAt(at.gang_f[:, None], at.u[:, None], at.plates_f[:, None])
    middle, half = [(low + high) / 2.0 for low, high in limits], [(high - low) / 2.0 for low, high in limits]
    best = math.inf
    for _ in range(14):
        lines = [np.clip(np.linspace(m - h, m + h, 25), low, high) for m, h, (low, high) in zip(middle, half, limits, strict=True)]
        tried = dict(zip(parts, np.array(list(itertools.product(*lines))).T, strict=True))
        worst = np.abs(found.drawn.receives_hz({**found.now, **tried}, column) - marks).max(axis=0)
        k = int(np.argmin(worst))
        if float(worst[k]) < best:
            best, middle = float(worst[k]), [float(tried[p][k]) for p in parts]
        half = [0.4 * h for h in half]
    return best


class Settings(unittest.TestCase):
    def test_no_search_over_the_same_adjusters_betters_the_advised_by_more_than_a_hundredth(self) -> None:
        rng = random.Random("two hundred bands")
        for number in range(200):
            drawn = some_band(rng)
            found = known(drawn, off(rng))
            advised, by_search = best_setting(found).worst_hz, searched(found)
            self.assertLessEqual(advised, 1.01 * by_search + 0.5, (number, drawn, found.now))

    def test_exact_where_the_owner_listens_costs_elsewhere_and_is_exact(self) -> None:
        found = known(MEDIUM, off(random.Random(3)))
        least, exact = best_setting(found), best_setting(found, goal="exact", at_hz=(909e3,))
        at_909 = float(MEDIUM.receives_hz({**found.now, **exact.values}, MEDIUM.gang((909e3,)))[0]) - 909e3
        self.assertLess(abs(at_909), 2.0)
        self.assertGreater(exact.worst_hz, least.worst_hz)

    def test_at_the_papers_points_two_adjusters_leave_nothing(self) -> None:
        found = known(MEDIUM, off(random.Random(4)))
        book = best_setting(found, goal="book points", at_hz=(600e3, 1400e3))
        left = MEDIUM.receives_hz({**found.now, **book.values}, MEDIUM.gang((600e3, 1400e3))) - np.array([600e3, 1400e3])
        self.assertLess(float(np.abs(left).max()), 2.0)

    def test_an_adjuster_that_comes_to_its_end_is_named(self) -> None:
        far = known(MEDIUM, {"coil": 0.25})
        self.assertTrue(best_setting(far).at_end)

    def test_with_nothing_to_turn_it_stays_as_it_is(self) -> None:
        fixed = Drawn(MARKS, 468e3, 1, 96.89e-6, 53.09e-12, 508.9e-12, ())
        found = known(fixed, off(random.Random(5)))
        setting = best_setting(found)
        self.assertEqual(setting.values, {})
        self.assertAlmostEqual(setting.worst_hz, float(np.abs(found.errors_hz()).max()))
        self.assertEqual(moves_to(found, setting), [])


class Slopes(unittest.TestCase):
    def test_they_are_what_a_small_change_of_each_part_does(self) -> None:
        rng, little = random.Random("slopes"), 1e-5
        for _ in range(40):
            drawn, changes = some_band(rng), off(rng)
            names = [n for n in changes if n != "padder" or drawn.padder_f]
            slopes = drawn.slopes(changes, names)
            for k, name in enumerate(names):
                up, down = (drawn.receives_hz({**changes, name: changes[name] + d}) for d in (little, -little))
                tried = (up - down) / (2.0 * little)
                self.assertLess(float(np.abs(slopes[:, k] - tried).max()), 1e-6 * float(np.abs(tried).max()), name)


class Moves(unittest.TestCase):
    def test_when_the_last_is_made_every_adjuster_stands_where_it_should(self) -> None:
        for seed in range(12):
            found = known(MEDIUM, off(random.Random(seed)))
            setting = best_setting(found)
            state = dict(found.now)
            for move in moves_to(found, setting):
                at = MEDIUM.gang((move.dial_hz,))

                def beside(value: float, part: str = move.part, there: object = at, wanted: float = move.receives_hz) -> float:
                    return float(MEDIUM.receives_hz({**state, part: value}, there)[0]) - wanted  # type: ignore[arg-type]  # noqa: B023

                low, high = -0.95, 0.95
                self.assertLess(beside(low) * beside(high), 0.0)
                for _ in range(70):
                    middle = (low + high) / 2.0
                    low, high = (middle, high) if beside(middle) * beside(low) > 0 else (low, middle)
                state[move.part] = low
                self.assertAlmostEqual(move.oscillator_hz, move.receives_hz + 468e3)
            for part, value in setting.values.items():
                self.assertAlmostEqual(state[part], value, delta=2e-6)

    def test_what_is_not_known_of_the_set_does_them_little_harm(self) -> None:
        rng = random.Random("little harm")
        for _ in range(10):
            truth = off(rng)
            found = fit(MEDIUM, heard(MEDIUM, truth, 600e3, 1000e3, 1400e3))
            self.assertLess(float(np.abs(found.errors_hz() - (MEDIUM.receives_hz(truth) - np.array(MARKS))).max()), 2500.0)
            self.assertLess(best_setting(found).worst_hz, 8e3)


class Parts(unittest.TestCase):
    def test_three_marks_reproduce_themselves_and_more_of_them_all_others(self) -> None:
        truth = off(random.Random(6))
        three = fit(MEDIUM, heard(MEDIUM, truth, 600e3, 1000e3, 1400e3))
        self.assertLess(float(np.abs(three.misses).max()), 1.0)
        whole = fit(MEDIUM, heard(MEDIUM, truth, *MARKS))
        self.assertLess(float(np.abs(whole.errors_hz() - (MEDIUM.receives_hz(truth) - np.array(MARKS))).max()), 3.0 * SURE_HZ)

    def test_more_readings_make_it_surer(self) -> None:
        truth = off(random.Random(7))
        few, many = (fit(MEDIUM, heard(MEDIUM, truth, *at)) for at in ((600e3, 1400e3), MARKS))
        self.assertLess(float(many.sigmas_hz().max()), float(few.sigmas_hz().max()) / 5.0)
        self.assertLess(many.sigma("padder"), few.sigma("padder"))

    def test_what_nobody_turned_is_the_same_before_and_after(self) -> None:
        truth = off(random.Random(8))
        before = heard(MEDIUM, truth, 600e3, 1000e3, 1400e3)
        turned = {**truth, "trimmer": truth["trimmer"] + 0.2}
        after = [r._replace(turned={"trimmer": 1}) for r in heard(MEDIUM, turned, 600e3, 1000e3, 1400e3)]
        both, alone = fit(MEDIUM, before + after), fit(MEDIUM, before)
        self.assertLess(both.sigma("gang value"), alone.sigma("gang value") + 1e-12)
        self.assertAlmostEqual(both.now["trimmer"] - float(both.values[both.names.index(("trimmer", 0))]), 0.2, delta=0.05)

    def test_readings_that_no_parts_make_are_refused_in_words(self) -> None:
        with self.assertRaises(NoAnswer):
            fit(MEDIUM, [Reading(600e3, 30e6, 20.0), Reading(1400e3, 5e3, 20.0)])

    def test_a_drifted_padder_is_named_with_its_amount_and_sound_ones_are_not(self) -> None:
        named = false = 0
        for seed in range(40):
            truth = off(random.Random(f"padder {seed}"))
            found = cause_of(MEDIUM, heard(MEDIUM, {**truth, "padder": truth["padder"] / 3.0 + 0.1}, 600e3, 1000e3, 1400e3))
            named += found is not None and found.part == "padder" and 0.05 < found.off < 0.15
            false += cause_of(MEDIUM, heard(MEDIUM, truth, 600e3, 1000e3, 1400e3)) is not None
        self.assertGreaterEqual(named, 38)
        self.assertEqual(false, 0)


class Doubts(unittest.TestCase):
    """What a person may have done wrong, and no advice is to be built on."""

    def doubt(self, readings: list[Reading], **more: object) -> Doubt:
        doubts = doubts_about(MEDIUM, readings, **more)  # type: ignore[arg-type]
        self.assertTrue(doubts)
        return doubts[0]

    def test_a_sound_set_rouses_none(self) -> None:
        for seed in range(30):
            self.assertEqual(doubts_about(MEDIUM, heard(MEDIUM, off(random.Random(f"sound {seed}")), 600e3, 1000e3, 1400e3)), [])

    def test_too_few(self) -> None:
        self.assertEqual(self.doubt(heard(MEDIUM, {}, 600e3)).kind, "few")

    def test_a_pointer_on_the_mark_beside(self) -> None:
        readings = heard(MEDIUM, {"trimmer": 0.1}, 600e3, 1000e3, 1400e3)
        found = self.doubt([readings[0], readings[1]._replace(dial_hz=1200e3), readings[2]])
        self.assertEqual((found.kind, found.reading, found.instead_hz), ("mark", 1, 1000e3))

    def test_a_station_taken_for_its_neighbour(self) -> None:
        readings = heard(MEDIUM, {"trimmer": 0.1}, 550e3, 600e3, 800e3, 1000e3, 1400e3, off_hz={800e3: 9e3})
        found = self.doubt(readings)
        self.assertEqual((found.kind, found.reading, found.amount_hz), ("station", 2, -9e3))

    def test_the_strip_beside_its_frequency_by_the_same_at_every_mark(self) -> None:
        wrong = [Reading(f, f + 5e3, SURE_HZ) for f in (600e3, 1000e3, 1400e3)]
        found = self.doubt(wrong)
        self.assertEqual(found.kind, "intermediate frequency")
        self.assertAlmostEqual(found.instead_hz or 0.0, 463e3)
        known_strip = self.doubt(heard(MEDIUM, {}, 600e3, 1000e3, 1400e3), strip_hz=463e3)
        self.assertEqual(known_strip.kind, "intermediate frequency")

    def test_another_band_than_was_thought(self) -> None:
        long = Drawn((150e3, 180e3, 200e3, 220e3, 250e3, 285e3), 468e3, 1, 355.4e-6, 234.5e-12, 250.6e-12, ("trimmer", "padder"))
        found = self.doubt([Reading(600e3, 158e3, 20.0), Reading(1000e3, 210e3, 20.0), Reading(1400e3, 260e3, 20.0)], others=[long])
        self.assertEqual((found.kind, found.instead_hz), ("band", 150e3))

    def test_readings_that_contradict_each_other(self) -> None:
        wild = heard(MEDIUM, {}, 550e3, 600e3, 800e3, 1000e3, 1400e3, off_hz={600e3: 31e3, 800e3: -27e3, 1000e3: 22e3})
        self.assertEqual(self.doubt(wild).kind, "contradiction")


class Beliefs(unittest.TestCase):
    def test_they_are_those_of_parts_of_the_class(self) -> None:
        self.assertTrue(all(0.0 < sigma < 0.3 for sigma in BELIEVED.values()))
