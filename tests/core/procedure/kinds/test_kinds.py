import math
import random
import unittest
from dataclasses import replace
from typing import Any

from calm_needle.core.dossier.faults import meaning_faults
from calm_needle.core.dossier.model import Step
from calm_needle.core.dossier.read import read_groups, read_model, resolved_group
from calm_needle.core.procedure.judge import Context, Moment, Standing
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.core.procedure.needle import needle_of, trail_of
from calm_needle.core.procedure.series import Seen, Series
from calm_needle.core.quantities import parse_reading, parse_si
from calm_needle.files.dossiers import load_dossier
from tests.support import every_kind

MODEL = read_model(load_dossier(every_kind.content(), name="every-kind.json"))
STEPS = {s.kind: s for g in MODEL.groups for s in g.steps}
MUST_TURN = ("peak", "null", "alternate", "rock", "zero_beat", "zero_cross", "tune")


class Stay:
    """One stay at a step: readings in, standing out."""

    def __init__(self, kind: str, **aim: Any) -> None:
        self.step: Step = replace(STEPS[kind], aim={**STEPS[kind].aim, **aim})
        self.kind = KINDS[kind]
        self.series = Series(self.step, self.kind.reads)
        self.judge = self.kind.judge(self.step, Context(MODEL, self.series))
        self.t_s = 0.0

    def read(self, *values: float, kind: str = "typed", every_s: float = 3.0, **more: Any) -> "Stay":
        for value in values:
            self.t_s += every_s
            seen = Seen(self.t_s, value, self.series.unit, kind, 468e3, 3e-4, **more)
            self.series.add(seen)
            self.judge.add(seen)
        return self

    def turned(self, *pairs: tuple[float, float]) -> "Stay":
        """Readings at known turns of the first adjuster."""
        for turns, value in pairs:
            self.read(*[value] * 6, kind="live", every_s=0.25, turns={self.step.adjusters[0]: turns})
        return self

    def sweep(self, *points: tuple[float, float]) -> "Stay":
        for f, value in points:
            self.t_s += 1.0
            seen = Seen(self.t_s, value, self.series.unit, "sweep", f, 3e-4)
            self.series.add(seen)
            self.judge.add(seen)
        return self

    def stands(self, **moment: Any) -> Standing:
        return self.judge.standing(Moment(self.t_s, **moment))


class EveryKind(unittest.TestCase):
    def test_the_made_up_papers_have_each(self) -> None:
        self.assertEqual(sorted(every_kind.KINDS), sorted(KINDS))

    def test_with_nothing_read_nothing_may_be_taken_but_a_wait(self) -> None:
        for name in KINDS:
            if name != "wait":
                standing = Stay(name).stands()
                self.assertFalse(standing.may_take, name)
                self.assertTrue(standing.refusal, name)
                self.assertTrue(standing.advice.sentence and standing.advice.evidence, name)

    def test_done_rightly_each_may_be_taken_and_says_what_came_of_it(self) -> None:
        for step, right in every_kind.STEPS:
            stay = Stay(step["kind"])
            if right.at:
                stay.sweep(*((parse_si(f, unit="Hz"), float(v)) for f, v in zip(right.at, right.typed, strict=True)))
            else:
                stay.read(*(parse_reading(t, units=(stay.series.unit,)).value for t in right.typed))
            standing = stay.stands(answer="yes" if step["kind"] == "inspect" else None)
            with self.subTest(step["kind"]):
                self.assertTrue(standing.may_take, standing)
                self.assertEqual(standing.move.way, "rest")
                detail = {"verdict": standing.verdict, **standing.detail}
                self.assertEqual(stay.kind.report(detail), right.words or "taken")

    def test_each_says_what_it_lacks_in_a_dossier(self) -> None:
        for name, kind in KINDS.items():
            self.assertTrue(kind.verb and kind.sign, name)
            self.assertEqual("adjusters" in kind.needs, name in MUST_TURN, name)

    def test_a_needle_holds_all_that_was_read_whatever_it_is(self) -> None:
        for step, right in every_kind.STEPS:
            stay = Stay(step["kind"])
            if not right.typed or right.at:
                continue
            stay.read(*(parse_reading(t, units=(stay.series.unit,)).value for t in right.typed))
            needle = needle_of(stay.series, stay.stands().marks, stay.kind.goal)
            with self.subTest(step["kind"]):
                self.assertTrue(all(needle.scale.low <= v <= needle.scale.high for _, v in trail_of(stay.series, needle)))
                self.assertEqual(needle.at, trail_of(stay.series, needle)[-1][1])


class TurnsPartlyCounted(unittest.TestCase):
    def test_what_was_turned_while_nobody_counted_is_in_no_sum(self) -> None:
        stay = Stay("peak").turned((0.0, 0.1), (0.2, 0.12))
        core = stay.step.adjusters[0]
        self.assertAlmostEqual(stay.series.turns_of(core) or 0.0, 0.2)
        self.assertEqual((stay.series.tried(core) or (0.0,))[0], 0.2)
        stay.read(0.13, 0.15, kind="live", every_s=0.25)  # the turns were hidden
        self.assertEqual((stay.series.turns_of(core), stay.series.tried(core)), (None, None))


class SwungGenerator(unittest.TestCase):
    """The program swings the generator about a mark until it knows where the set listens."""

    @staticmethod
    def _heard(at_hz: float, f: float) -> float:
        return 0.001 + 0.1 / (1.0 + ((f - at_hz) / 2.5e3) ** 4)

    def _swung(self, at_hz: float, *, mark_times: int = 8) -> Stay:
        """Swing as it is asked to, until it asks no more."""
        stay = Stay("swing")
        for _ in range(mark_times):
            standing = stay.stands(can_sweep=True)
            if standing.swing is None:
                break
            low, step = standing.swing.centre_hz - standing.swing.span_hz / 2.0, standing.swing.span_hz / (standing.swing.points - 1)
            stay.sweep(*((f, self._heard(at_hz, f)) for f in (low + step * i for i in range(standing.swing.points))))
        return stay

    def test_it_is_found_wherever_it_is_within_reach(self) -> None:
        for at_hz in (600e3, 611.3e3, 586.9e3, 655e3, 540e3):
            with self.subTest(at_hz):
                standing = self._swung(at_hz).stands(can_sweep=True)
                self.assertTrue(standing.may_take, standing.advice.sentence)
                self.assertAlmostEqual(standing.detail["receives_hz"], at_hz, delta=250.0)

    def test_where_nothing_is_heard_it_looks_wider_and_then_says_so(self) -> None:
        stay = self._swung(1400e3)
        standing = stay.stands(can_sweep=True)
        self.assertIn("Nothing is heard anywhere near", standing.advice.sentence)
        self.assertTrue(standing.refusal)
        assert standing.nothing is not None
        self.assertIn("180", standing.nothing[1], "how far it looked")

    def test_the_intermediate_frequency_is_not_taken_for_the_signal(self) -> None:
        stay = Stay("swing").sweep(*((f, self._heard(468e3, f)) for f in (440e3 + 1.5e3 * i for i in range(40))))
        standing = stay.stands(can_sweep=True)
        self.assertIn("intermediate frequency itself", standing.advice.sentence)
        self.assertFalse(standing.may_take)


class MovedLevel(unittest.TestCase):
    """A generator's level that is moved in the middle, in a set that passes it on or does not."""

    def needle(self, *, passes_on: float) -> list[float]:
        """Measures with nothing turned, a second either side of 20 dB less from the generator, of which so much comes through."""
        step = replace(STEPS["peak"], adjusters=("C20",))
        series = Series(step, "level")
        for i in range(16):
            level_v = 3e-4 if i < 8 else 3e-5
            series.add(Seen(0.25 * i, 0.1 if i < 8 else 0.1 * 10.0 ** (-passes_on), "V", "live", 468e3, level_v, None, {"C20": 0.0}))
        return [series.measure(r) for r in series.watched]

    def test_nothing_is_gained_by_it_whether_gain_control_works_or_not(self) -> None:
        for passes_on in (1.0, 0.2, 0.0):
            measures = self.needle(passes_on=passes_on)
            self.assertLess(max(measures) - min(measures), 0.01, passes_on)

    def test_what_is_turned_while_the_level_is_moved_is_not_taken_for_the_set_s_doing(self) -> None:
        series = Series(replace(STEPS["peak"], adjusters=("C20",)), "level")
        series.add(Seen(0.0, 0.1, "V", "live", 468e3, 3e-4, None, {"C20": 0.0}))
        series.add(Seen(0.3, 0.01, "V", "live", 468e3, 3e-5, None, {"C20": 0.0}))
        self.assertTrue(series.settling)
        series.add(Seen(0.6, 0.02, "V", "live", 468e3, 3e-5, None, {"C20": 0.3}))
        first, _, last = (series.measure(r) for r in series.watched)
        self.assertAlmostEqual(last - first, 6.02, delta=0.01)

    def test_readings_that_came_too_soon_are_not_watched(self) -> None:
        stay = Stay("peak")
        for i in range(40):
            level_v, value = (3e-4, 0.1) if i < 20 else (3e-5, 0.04 if i == 20 else 0.08)
            seen = Seen(0.25 * i, value, "V", "live", 468e3, level_v, None, {stay.step.adjusters[0]: 0.0})
            stay.series.add(seen)
            stay.judge.add(seen)
        self.assertLess(stay.stands().detail["by_itself_db"], 0.1)


class NotTheImage(unittest.TestCase):
    """A crest that the generator made is compared with the frequency whose image it may be."""

    def stands(self, here_v: float, there_v: float) -> Standing:
        return Stay("image").sweep((17e6, here_v), (16.064e6, there_v)).stands(can_sweep=True)

    def test_both_are_asked_for_first_and_are_the_two_ends_of_what_is_stepped(self) -> None:
        swing = Stay("image").sweep((17e6, 0.1)).stands(can_sweep=True).swing
        assert swing is not None
        self.assertEqual((swing.centre_hz - swing.span_hz / 2.0, swing.centre_hz + swing.span_hz / 2.0, swing.points), (16.064e6, 17e6, 2))

    def test_the_louder_is_the_signal(self) -> None:
        self.assertTrue(self.stands(0.1, 0.03).may_take)
        image = self.stands(0.03, 0.1)
        self.assertFalse(image.may_take)
        self.assertIn("image", image.advice.sentence)
        self.assertIn("the oscillator trimmer the other way", image.advice.evidence)

    def test_two_that_are_alike_are_not_told_apart(self) -> None:
        standing = self.stands(0.1, 0.09)
        self.assertFalse(standing.may_take)
        self.assertIn("cannot be told", standing.advice.sentence)


class KnownCarrier(unittest.TestCase):
    def test_the_pointer_is_read_and_the_frequency_is_known(self) -> None:
        standing = Stay("carrier").read(620e3).stands()
        self.assertEqual((standing.detail["dial_hz"], standing.detail["receives_hz"]), (620e3, 612e3))
        self.assertIn("−8.00\u2009kHz", standing.advice.evidence)

    def test_a_carrier_heard_where_its_image_is_says_nothing_of_the_dial(self) -> None:
        image = Stay("carrier", mark_hz=1536e3).read(600e3).stands()
        self.assertFalse(image.may_take)
        self.assertIn("image", image.advice.sentence)


class Target(unittest.TestCase):
    def test_once_inside_is_not_yet_steady(self) -> None:
        self.assertFalse(Stay("target").read(0.048, 0.060).stands().may_take)
        self.assertTrue(Stay("target").read(0.048, 0.060, 0.0605).stands().may_take)

    def test_outside_it_says_by_how_much_and_which_way(self) -> None:
        low = Stay("target").read(0.048).stands()
        self.assertIn("Too low by 10.0\u2009mA", low.advice.sentence)
        self.assertIn("10.0\u2009mA below what is wanted", low.doubt)
        self.assertIn("Too high", Stay("target").read(0.07).stands().advice.sentence)

    def test_read_by_the_program_it_must_stay_inside_for_a_second(self) -> None:
        stay = Stay("target").read(0.048, kind="live", every_s=0.05)
        self.assertFalse(stay.read(*[0.060] * 8, kind="live", every_s=0.05).stands().may_take)
        self.assertTrue(stay.read(*[0.060] * 30, kind="live", every_s=0.05).stands().may_take)


class Window(unittest.TestCase):
    def test_a_flank_is_wanted_and_the_turns_are_known(self) -> None:
        over = ((0.0, 0.1), (0.2, 0.2), (0.4, 0.3), (0.6, 0.23))
        self.assertTrue(Stay("window", flank="clockwise").turned(*over).stands().may_take)
        wrong = Stay("window", flank="anticlockwise").turned(*over).stands()
        self.assertFalse(wrong.may_take)
        self.assertIn("wrong side", wrong.advice.sentence)

    def test_without_turns_the_person_is_asked_which_side_it_is(self) -> None:
        standing = Stay("window", flank="clockwise").read(0.1, 0.3, 0.23, 0.23).stands()
        self.assertFalse(standing.may_take)
        self.assertIn("Is the core clockwise of the crest?", standing.doubt)

    def test_below_the_crest_nothing_is_on_a_flank(self) -> None:
        self.assertIn("Go over the crest first", Stay("window", flank="clockwise").read(0.1, 0.23, 0.23).stands().advice.sentence)


class ZeroBeat(unittest.TestCase):
    def test_a_beat_that_rose_on_one_side_only_is_no_zero(self) -> None:
        self.assertFalse(Stay("zero_beat").read(900, 300, 12, 10, 11).stands().may_take)

    def test_with_turns_both_rises_must_lie_on_different_sides(self) -> None:
        same = Stay("zero_beat").turned((0.0, 900.0), (0.5, 10.0), (0.0, 900.0), (0.5, 10.0)).stands()
        self.assertFalse(same.may_take)
        self.assertTrue(Stay("zero_beat").turned((0.0, 900.0), (0.5, 10.0), (1.0, 800.0), (0.5, 10.0)).stands().may_take)

    def test_a_beat_that_rises_is_turned_the_other_way_from(self) -> None:
        falling, rising = (Stay("zero_beat").read(*values).stands() for values in ((900, 700), (300, 700)))
        self.assertEqual((falling.move.way, rising.move.way), ("approach", "turn_back"))
        self.assertIn("the other way", rising.advice.sentence)
        self.assertNotIn("the other way", falling.advice.sentence)

    def test_once_through_it_is_followed_until_it_has_plainly_risen_and_then_brought_back(self) -> None:
        stay = Stay("zero_beat").read(900, 300, 12, 14, 16)
        self.assertIn("Go on through", stay.read(40).stands().advice.sentence)
        self.assertNotIn("the other way", stay.read(45).stands().advice.sentence)
        self.assertIn("the other way", stay.read(300).stands().advice.sentence)
        self.assertTrue(stay.read(10, 10).stands().may_take)


class ZeroCross(unittest.TestCase):
    def test_unequal_humps_are_not_taken(self) -> None:
        standing = Stay("zero_cross").read(2.0, -0.8, 0.01).stands()
        self.assertFalse(standing.may_take)
        self.assertIn("humps are not equal", standing.advice.sentence)

    def test_zero_without_humps_is_a_dead_discriminator(self) -> None:
        self.assertFalse(Stay("zero_cross").read(0.0, 0.01, 0.0, -0.01).stands().may_take)


class Centre(unittest.TestCase):
    def test_the_middle_of_the_newest_edges_counts(self) -> None:
        stay = Stay("centre").read(465.0e3, 472.0e3)
        self.assertTrue(stay.stands().may_take)  # 468.5 kHz is just inside 500 Hz
        off = stay.read(473.0e3).stands()
        self.assertFalse(off.may_take)
        self.assertIn("1000 Hz high", off.advice.sentence)
        self.assertTrue(stay.read(464.0e3).stands().may_take)

    def test_an_edge_may_be_marked_where_the_generator_is_known(self) -> None:
        stay = Stay("centre")
        for f in (465e3, 471e3):
            stay.judge.add(Seen(1.0, 0.02, "V", "marked", f))
        self.assertTrue(stay.stands().may_take)


class Shape(unittest.TestCase):
    def test_each_limit_is_named_when_it_is_broken(self) -> None:
        narrow = Stay("shape").sweep((464e3, 0.01), (467e3, 0.05), (468e3, 0.2), (469e3, 0.05), (472e3, 0.01))
        self.assertIn("Too narrow", narrow.stands().advice.sentence)
        dipped = Stay("shape").sweep((461e3, 0.01), (465e3, 0.2), (468e3, 0.12), (471e3, 0.2), (475e3, 0.01))
        self.assertIn("not flat", dipped.stands().advice.sentence)
        self.assertAlmostEqual(dipped.stands().detail["ripple_db"], 4.44, places=2)
        high = Stay("shape").sweep((465e3, 0.01), (468e3, 0.19), (471e3, 0.2), (474e3, 0.19), (477e3, 0.01))
        self.assertIn("high, 400 allowed", " ".join([high.stands().advice.sentence, high.stands().advice.evidence]))

    def test_a_sweep_in_progress_cannot_be_taken(self) -> None:
        self.assertTrue(Stay("shape").stands(sweeping=0.4, can_sweep=True).refusal)


class Rock(unittest.TestCase):
    def test_swings_read_by_the_program_have_their_crests(self) -> None:
        stay = Stay("rock")
        for crest in (0.1, 0.14, 0.16, 0.13, 0.1, 0.158):
            stay.read(*(crest * f for f in (0.2, 0.5, 0.8, 1.0, 0.8, 0.5, 0.2)), kind="live", every_s=0.2)
        standing = stay.stands()
        self.assertEqual(standing.detail["swings"], 6)
        self.assertTrue(standing.may_take)

    def test_triples_are_kept_and_the_joint_crest_is_fitted_through_them(self) -> None:
        stay = Stay("rock")
        for turn in (0.0, 0.1, 0.2, 0.3, 0.4, 0.5):
            crest = 0.2 / (1.0 + ((turn - 0.27) / 0.2) ** 2) ** 0.5
            for k, share in enumerate((0.2, 0.5, 0.8, 1.0, 0.8, 0.5, 0.2)):
                stay.read(crest * share, kind="live", every_s=0.2, turns={"C20": turn, "tuning": 0.01 * k + turn / 10.0})
        standing = stay.stands()
        triples = standing.detail["triples"]
        self.assertEqual([round(t[1], 3) for t in triples], [0.0, 0.1, 0.2, 0.3, 0.4, 0.5])
        self.assertAlmostEqual(triples[2][0], 0.05, places=6)
        self.assertAlmostEqual(standing.detail["joint_turns"], 0.27, places=3)
        self.assertIn("a quarter of a turn, anticlockwise", standing.advice.sentence)

    def test_the_highest_must_have_been_passed(self) -> None:
        self.assertFalse(Stay("rock").read(0.1, 0.12, 0.15).stands().may_take)
        self.assertIn("Come back", Stay("rock").read(0.1, 0.12, 0.15, 0.12, 0.1).stands().advice.sentence)


class Tune(unittest.TestCase):
    """A padder that pulls 6 kHz a turn, whose travel ends a third of a turn short of the mark."""

    def test_an_end_that_was_met_is_not_asked_to_be_passed(self) -> None:
        stay = Stay("tune").turned((3.6, 1068e3 + 4.4e3), (3.8, 1068e3 + 3.2e3))
        self.assertIn("clockwise", stay.stands().advice.sentence)
        stay.read(*[1068e3 + 2e3] * 6, kind="live", every_s=0.25, turns={stay.step.adjusters[0]: 4.0}, at_stop=True)
        self.assertIn("ends a third of a turn short of it", stay.stands().advice.sentence)
        stay.turned((3.98, 1068e3 + 2.12e3))  # the hand comes away from it by a hair
        standing = stay.stands()
        self.assertIn("short of it", standing.advice.sentence)
        self.assertIn("Press X", standing.advice.evidence)
        self.assertTrue(standing.nothing)

    def test_what_lies_before_its_end_is_within_reach(self) -> None:
        stay = Stay("tune").turned((3.8, 1068e3 - 3.2e3))
        stay.read(*[1068e3 - 4.4e3] * 6, kind="live", every_s=0.25, turns={stay.step.adjusters[0]: 4.0}, at_stop=True)
        self.assertIn("anticlockwise", stay.stands().advice.sentence)


class Blind:
    """A hand that reads the sentences and nobody counts the turns of: another law, a tool with play, a counter that jumps."""

    REACTION, PLAY, EVERY_S = 6, 1.5, 0.05  # readings; degrees; s between readings

    def __init__(self, *, seed: int, at: float, degrees: float, finest: float = 0.1) -> None:
        self.rng, self.tool, self.plate, self.finest = random.Random(seed), at, at, finest
        self.aim_hz, self.way, self.pace = self.hertz(degrees), self.rng.choice((-1.0, 1.0)), 8.0
        self.stay = Stay("tune", centre=self.aim_hz, tolerance=60.0)
        self.said: list[str] = []

    def hertz(self, degrees: float) -> float:
        """A vane's law with a dent: some 700 Hz a degree, falling."""
        return 1.5e6 - 700.0 * degrees - 6e3 * math.sin(degrees / 40.0) ** 2

    def turn(self, degrees: float) -> None:
        self.tool = min(max(self.tool + degrees, 0.0), 180.0)
        self.plate = min(max(self.plate, self.tool - self.PLAY), self.tool + self.PLAY)

    def looks(self) -> Standing:
        shown = self.hertz(self.plate) + self.rng.gauss(0.0, 4.0)
        self.stay.read(shown, kind="live", every_s=self.EVERY_S)
        standing = self.stay.stands()
        self.said.append(standing.advice.sentence)
        return standing

    def works(self, *, readings: int = 3000) -> Standing | None:
        """Do as the sentences say until it may be taken, a moment late; None where that never comes."""
        answered = 0
        for i in range(readings):
            standing = self.looks()
            if standing.may_take:
                return standing
            words = self.said[max(0, i - self.REACTION)]
            turned_back = "going away" in words
            if turned_back and i > answered + 4 * self.REACTION:
                self.way, answered = -self.way, i
            if "slower" in words or turned_back:
                self.pace = max(self.finest / (4.0 * self.EVERY_S), 0.9 * self.pace)
            elif "Go on the same way" in words:
                self.pace = min(8.0, 1.1 * self.pace)
            elif "until it moves" in words:
                self.pace = min(8.0, 1.03 * self.pace)
            if not words.startswith("Inside"):
                self.turn(self.way * self.pace * self.rng.uniform(0.6, 1.4) * self.EVERY_S)
        return None


class TuneByFeel(unittest.TestCase):
    def test_it_comes_to_its_frequency_from_either_side_and_near_and_far(self) -> None:
        for seed in range(12):
            hand = Blind(seed=seed, at=(20.0, 150.0, 92.0)[seed % 3], degrees=90.0 + 3.0 * seed)
            before = abs(hand.hertz(hand.plate) - hand.aim_hz)
            with self.subTest(seed=seed, before_hz=round(before)):
                taken = hand.works()
                assert taken is not None, hand.said[-1]
                self.assertLess(abs(hand.hertz(hand.plate) - hand.aim_hz), max(60.0, 700.0 * hand.PLAY))

    def test_going_away_is_said_within_a_second_however_far_off_it_is(self) -> None:
        for at, aim in ((20.0, 160.0), (89.0, 90.0)):
            hand = Blind(seed=1, at=at, degrees=aim)
            for _ in range(20):
                hand.looks()
            for _ in range(20):
                hand.turn(-0.2)
                standing = hand.looks()
            self.assertIn("going away. Turn the other way", standing.advice.sentence)

    def test_at_rest_nothing_is_going_anywhere_and_the_last_way_is_remembered(self) -> None:
        for seed in range(20):
            hand = Blind(seed=seed, at=40.0, degrees=90.0)
            self.assertTrue(all("either way" in hand.looks().advice.sentence for _ in range(200)), seed)
        for _ in range(30):
            hand.turn(-0.2)
            hand.looks()
        for _ in range(60):
            standing = hand.looks()
        self.assertIn("The last turn led away. Turn the other way until it moves.", standing.advice.sentence)

    def test_what_is_given_up_is_brought_back_first(self) -> None:
        hand = Blind(seed=4, at=40.0, degrees=90.0)
        self.assertEqual(hand.looks().bring_back, "")
        found = f"{round(hand.stay.series.watched[0].value) / 1e6:.5f}"[:6]
        for _ in range(60):
            hand.turn(-0.2)
            standing = hand.looks()
        self.assertIn(f"It was found at {found}", standing.bring_back)
        self.assertIn("bring it back first", standing.bring_back)
        for _ in range(80):
            hand.turn(0.2)
            standing = hand.looks()
            if not standing.bring_back:
                break
        self.assertLess(abs(hand.hertz(hand.plate) - hand.hertz(40.0)), 1.5e3)

    def test_no_more_is_asked_of_a_touchy_trimmer_than_the_hand_has_shown_that_it_can(self) -> None:
        hand = Blind(seed=3, at=60.0, degrees=90.0, finest=2.0)
        self.assertIsNotNone(hand.works())


class Waiting(unittest.TestCase):
    def test_the_clock_and_the_drift_both_have_to_say_so(self) -> None:
        stay = Stay("wait", least_s=600.0)
        self.assertIn("9 min to go", stay.judge.standing(Moment(60.0, 0.0)).advice.sentence)
        self.assertTrue(stay.judge.standing(Moment(600.0, 0.0)).may_take)
        drifting = Stay("wait", least_s=0.0, rate_per_min=1.0, over_s=60.0)
        drifting.read(*(468e3 + 2.0 * i for i in range(21)))
        self.assertFalse(drifting.stands().may_take)
        self.assertIn("40.0", drifting.stands().advice.evidence)
        steady = Stay("wait", least_s=0.0, rate_per_min=1.0, over_s=60.0).read(*(468e3 + 0.01 * i for i in range(21)))
        self.assertTrue(steady.stands().may_take)


class Inspect(unittest.TestCase):
    def test_only_its_own_answers_answer_it(self) -> None:
        self.assertTrue(Stay("inspect").stands(answer="perhaps").refusal)
        self.assertEqual(Stay("inspect").stands(answer="no").detail["words"], "No")


class InADossier(unittest.TestCase):
    def test_what_a_kind_cannot_do_without_is_named_by_its_path(self) -> None:
        data = every_kind.dossier()
        steps = data["procedure"][0]["steps"]
        for step in steps:
            step.pop("aim", None)
        said = [str(f) for f in meaning_faults(data)]
        wanted = [f"procedure[0].steps[{i}].{n}" for i, s in enumerate(steps) for n in KINDS[s["kind"]].needs if n.startswith("aim.")]
        self.assertEqual([s.split(":")[0] for s in said], wanted)

    def test_a_plan_keeps_all_that_a_step_sets(self) -> None:
        (group,) = read_groups([resolved_group(every_kind.dossier()["procedure"][0], MODEL.adjusters)])
        for step in group.steps:
            self.assertEqual((step.set_up.tuning.dial_hz, step.set_up.tuning.controls["gain_control"]), (600e3, "off"))
            self.assertEqual(step.set_up.cover, "off")
        rock = next(s for s in group.steps if s.kind == "rock")
        self.assertEqual((rock.adjusters, rock.roles["C20"]), (("C20", "tuning"), "padder"))
