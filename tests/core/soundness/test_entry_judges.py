"""What figures of notes say: each rule with its near misses."""

import unittest

from calm_needle.core.physics.supply import dropping_resistor
from calm_needle.core.soundness.entry_judges import (
    judge_effect,
    judge_orientation,
    judge_sweep_of_control,
    judge_taps,
    judge_transformer,
    judge_trials,
    read_taps,
    worth_it,
)
from calm_needle.errors import NotUnderstood


class Judges(unittest.TestCase):
    def test_a_transformer_is_judged_by_every_two_of_three(self) -> None:
        for now, bare, calculated, state in (
            ("240 V", "245 V", "238 V", "good"), ("210 V", "245 V", "", "stop"), ("240 V", "", "", "watch"), ("262 V", "", "240 V", "stop"),
            ("240 V", "262 V", "", "stop"),
        ):  # fmt: skip
            judged = judge_transformer({"now_v": now, "bare_v": bare, "calculated_v": calculated})
            self.assertEqual(judged.state, state, (now, bare, calculated))
        self.assertIn("loaded now, or shorted turns", judged.sentence)  # it gave more when it was bare
        uneven = judge_transformer({"now_v": "228 V", "other_v": "240 V"})
        self.assertIn("Its halves differ by +5.0\u00a0%", uneven.sentence)
        self.assertEqual(judge_transformer({"now_v": "236 V", "other_v": "240 V", "bare_v": "245 V"}).state, "good")
        self.assertEqual(len(judge_transformer({"now_v": "240 V", "bare_v": "245 V", "calculated_v": "238 V"}).evidence), 3)

    def test_the_worst_spot_of_a_control_counts_wherever_it_is_and_whichever_way_it_was_swept(self) -> None:
        clean = "0; 100k; 210k; 290k; 400k; 500k"
        self.assertIn("Clean over this pass", judge_sweep_of_control({"ohms": clean}).sentence)
        back = judge_sweep_of_control({"ohms": "0; 100k; 60k; 290k; 400k; 500k"})
        self.assertEqual(back.state, "stop")
        self.assertIn("30", back.sentence)  # per cent along: between the second and the third of six
        falling = "; ".join(reversed(["0", "100k", "60k", "290k", "400k", "500k"]))
        self.assertEqual(judge_sweep_of_control({"ohms": falling}).state, "stop")
        self.assertIn("jumps", judge_sweep_of_control({"ohms": "0; 10k; 20k; 480k; 490k; 500k"}).sentence)
        self.assertEqual(judge_sweep_of_control({"ohms": "0; 500k"}).state, "watch")
        self.assertEqual(judge_sweep_of_control({"ohms": "1k; 1k; 1k; 1k; 1k"}).state, "stop")

    def test_two_trials_of_a_dropper_say_what_one_with_its_source_says(self) -> None:
        source_v, load_ohm = 300.0, 10e3

        def out_v(ohm: float) -> str:
            return f"{source_v * load_ohm / (load_ohm + ohm):.4f}"

        trials = [{"ohm": str(r), "out_v": out_v(r), "wanted_v": "200"} for r in (2000.0, 3300.0)]
        exact = dropping_resistor(r_trial_ohm=3300.0, v_trial=float(out_v(3300.0)), v_wanted=200.0, v_source=source_v)
        self.assertAlmostEqual(exact.r_ohm, 5000.0, delta=1.0)
        judged = judge_trials(trials)
        assert judged
        self.assertIn("exactly 5.00", judged.sentence)
        alone = judge_trials(trials[:1])
        assert alone
        self.assertIn("try a second value", alone.sentence)
        stays = judge_trials([*trials, {"ohm": "5000", "out_v": "200", "wanted_v": "200", "source_v": "300", "rating_w": "5"}])
        assert stays
        self.assertEqual(stays.state, "good")
        self.assertIn("40\u00a0% of its own 5\u2009W", " ".join(stays.evidence))
        self.assertIsNone(judge_trials([]))

    def test_taps_open_or_taken_for_another_are_seen_in_the_sums(self) -> None:
        self.assertEqual(judge_taps({"pairs": "1-2 4.1; 2-3 12; 1-3 16"}).state, "good")
        self.assertIn("Open between 2–3", judge_taps({"pairs": "1-2 4.1; 2-3 open"}).sentence)
        self.assertIn("a tap taken for another", judge_taps({"pairs": "1-2 4.1; 2-3 12; 1-3 9"}).sentence)
        for wrong in ("1 4.1", "1-2", "1-2 x"):
            with self.assertRaises(NotUnderstood):
                read_taps(wrong)

    def test_cleaning_is_judged_by_its_figures_and_a_device_by_the_good_board(self) -> None:
        self.assertIsNone(judge_effect({}))
        found = judge_effect({"unit": "V", "before": "100m", "after": "150m"})
        assert found
        self.assertIn("50.0", found.sentence)
        self.assertIsNone(judge_orientation({"direction": "the gang"}))
        for good, state in (("The gang", "good"), ("the front", "stop")):
            judged = judge_orientation({"direction": "the gang", "good": good})
            assert judged
            self.assertEqual(judged.state, state)

    def test_what_a_set_is_worth_counts_by_its_chance(self) -> None:
        entry = {"hours_low": "5", "hours_high": "8", "rate": "20", "parts_low": "20", "parts_high": "40", "value": "400"}
        self.assertEqual(worth_it(entry).advice, "go")
        self.assertEqual(worth_it({**entry, "chance": "25 %"}).advice, "stop")
