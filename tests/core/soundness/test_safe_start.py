import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.soundness.safe_start import (
    BATTERY,
    MAINS,
    Logged,
    Point,
    Start,
    borne_out,
    judge_current,
    judge_rail,
    judge_warm,
    ladder,
    may_climb,
    may_finish,
    stand,
)
from tests.support.properties import steady

RAIL = Point("rail", "smoothed rail", 250.0, 8.0)
FULL = len(MAINS) - 1


def log(*entries: tuple[str, dict[str, Any]] | tuple[str, dict[str, Any], float]) -> Start:
    logged = [Logged(i, e[0], e[2] if len(e) > 2 else float(i), e[1]) for i, e in enumerate(entries)]
    return stand(logged, rungs=MAINS)


def at_full(*volts: tuple[float, float]) -> Start:
    return log(("rung", {"rung": FULL}), ("current", {"a": 0.2}), *(("rail", {"point": "rail", "v": v}, t) for t, v in volts))


class Ladder(unittest.TestCase):
    def test_an_unknown_set_starts_like_a_live_one(self) -> None:
        self.assertEqual(ladder("unknown"), ladder("live chassis"))
        self.assertEqual(ladder("what"), MAINS)
        self.assertEqual(ladder("battery"), BATTERY)

    def test_every_ladder_rises_to_full_power(self) -> None:
        for rungs in (MAINS, BATTERY):
            self.assertEqual([r.share for r in rungs], sorted(r.share for r in rungs))
            self.assertEqual(rungs[-1].share, 1.0)

    def test_the_next_rung_wants_current_and_every_rail_of_this_one(self) -> None:
        points = (RAIL,)
        self.assertEqual(may_climb(log(), rungs=MAINS, points=points).state, "good")
        on = ("rung", {"rung": 0})
        self.assertIn("current first", may_climb(log(on), rungs=MAINS, points=points).sentence)
        self.assertIn("smoothed rail", may_climb(log(on, ("current", {"a": 0.05})), rungs=MAINS, points=points).sentence)
        read = log(on, ("current", {"a": 0.05}), ("rail", {"point": "rail", "v": 90.0}))
        self.assertEqual(may_climb(read, rungs=MAINS, points=points).state, "good")
        # what was read on the rung before does not count on the next
        self.assertIn(
            "current first", may_climb(log(on, ("current", {"a": 0.05}), ("rung", {"rung": 1})), rungs=MAINS, points=points).sentence
        )

    def test_the_stop_limit_stops_and_only_a_cause_begins_again(self) -> None:
        stopped = log(("rung", {"rung": 0}), ("current", {"a": 0.15}))
        self.assertEqual(may_climb(stopped, rungs=MAINS, points=()).state, "stop")
        smoke = log(("rung", {"rung": 1}), ("smoke", {"words": ""}), ("current", {"a": 0.01}))
        self.assertEqual(smoke.stopped, "Smoke, arcing or a hot smell.")
        again = log(("rung", {"rung": 1}), ("smoke", {"words": ""}), ("cause", {"words": "C30 shorted, replaced"}))
        self.assertEqual((again.rung, again.stopped), (-1, None))

    def test_a_jump_is_noticed_and_a_slow_rise_is_warming(self) -> None:
        self.assertEqual(judge_current([0.05, 0.055, 0.06], rung=MAINS[0]).state, "good")
        self.assertEqual(judge_current([0.05, 0.07], rung=MAINS[0]).state, "watch")
        self.assertEqual(judge_current([0.12], rung=MAINS[0]).state, "stop")


class Rails(unittest.TestCase):
    def test_against_the_book_at_full_power(self) -> None:
        for volts, state in ((250, "good"), (231, "good"), (224, "watch"), (200, "stop"), (290, "stop"), (0, "stop")):
            self.assertEqual(judge_rail(volts, point=RAIL, share=1.0).state, state, volts)

    def test_a_rail_is_not_judged_before_its_value_was_looked_up(self) -> None:
        self.assertIn("look it up", judge_rail(250, point=RAIL._replace(expected_v=None), share=1.0).sentence)

    def test_held_down_is_seen_on_the_first_rung(self) -> None:
        self.assertIn("holds it down", judge_rail(9.0, point=RAIL, share=0.35).sentence)
        self.assertEqual(judge_rail(80.0, point=RAIL, share=0.35).state, "good")

    def test_a_rail_that_sags_while_it_warms_is_a_finding(self) -> None:
        sag = [(60.0 * i, 250.0 - 1.2 * i) for i in range(12)]
        self.assertEqual(judge_warm(sag).state, "stop")
        self.assertIn("−5.3 % in 11 min", judge_warm(sag).sentence)

    def test_cold_it_is_not_passed(self) -> None:
        self.assertEqual(judge_warm([(0.0, 250.0), (5.0, 250.0), (10.0, 250.0)]).state, "watch")
        self.assertEqual(judge_warm([(60.0 * i, 250.0) for i in range(6)]).state, "watch")
        self.assertEqual(judge_warm([(60.0 * i, 250.0) for i in range(11)]).state, "good")

    def test_still_moving_it_is_not_passed_either(self) -> None:
        self.assertIn("still moves", judge_warm([(60.0 * i, 243.0 + 0.7 * i) for i in range(12)]).sentence)

    @steady
    @given(st.floats(-0.05, 0.05), st.floats(100, 400))
    def test_the_slope_is_that_of_the_readings(self, per_minute: float, volts: float) -> None:
        readings = [(30.0 * i, volts + per_minute * 0.5 * i) for i in range(24)]
        self.assertEqual(judge_warm(readings).state, "good")

    def test_the_start_is_through_when_rails_are_right_and_settled(self) -> None:
        steady_rail = at_full(*((60.0 * i, 248.0) for i in range(12)))
        self.assertEqual(may_finish(steady_rail, rungs=MAINS, points=(RAIL,)).state, "good")
        self.assertEqual(may_finish(at_full((0.0, 248.0)), rungs=MAINS, points=(RAIL,)).state, "watch")
        sagging = at_full(*((60.0 * i, 250.0 - i) for i in range(12)))
        self.assertIn("sags", may_finish(sagging, rungs=MAINS, points=(RAIL,)).sentence)
        self.assertEqual(may_finish(log(("rung", {"rung": 0})), rungs=MAINS, points=()).state, "watch")

    def test_a_target_is_borne_out_by_what_was_read_warm_at_full_power_and_stays_so_when_it_is_off(self) -> None:
        def logged(volts: float, t_s: float) -> list[Logged]:
            rungs = [Logged(i, "rung", 10.0 * i, {"rung": i}) for i in range(3)]
            return [*rungs, Logged(4, "rail", 20.0 + t_s, {"point": RAIL.id, "v": volts}), Logged(5, "off", 999.0, {})]

        for volts, t_s, wanted in ((248.0, 90.0, True), (180.0, 90.0, False), (248.0, 5.0, None)):
            self.assertEqual(borne_out(logged(volts, t_s), rungs=MAINS, points=(RAIL,)).get(RAIL.id), wanted, (volts, t_s))
