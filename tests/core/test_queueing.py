import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.queueing import USUAL_MIN, Waiting, bench_minutes, in_order, minutes_of


def job(number: int, minutes: float, waits_for: str = "", until: str = "") -> Waiting:
    return Waiting(number, f"job {number}", ("intake",), minutes, waits_for, until)


class Queueing(unittest.TestCase):
    def test_pauses_are_no_bench_time(self) -> None:
        self.assertAlmostEqual(bench_minutes([0.0, 60.0, 120.0, 7320.0]), 12.0)
        self.assertEqual(bench_minutes([5.0]), 0.0)

    def test_one_s_own_median_counts_from_three_on(self) -> None:
        self.assertEqual(minutes_of("intake", {"intake": [1.0, 2.0]}), USUAL_MIN["intake"])
        self.assertEqual(minutes_of("intake", {"intake": [1.0, 9.0, 2.0]}), 2.0)

    def test_until_then_a_rehearsal_counts_half_as_much_again(self) -> None:
        self.assertEqual(minutes_of("front end", {}, {"front end": [10.0]}), 15.0)
        self.assertEqual(minutes_of("front end", {"front end": [1.0, 9.0, 2.0]}, {"front end": [10.0]}), 2.0)
        self.assertEqual(minutes_of("health", {}, {"front end": [10.0]}), USUAL_MIN["health"])

    def test_what_waits_beyond_the_day_is_not_ready_and_comes_last(self) -> None:
        planned = in_order([job(1, 10, "a cord", "2026-12-20"), job(2, 200), job(3, 30)], day="2026-12-12", minutes=100)
        self.assertEqual([(p.job.job_id, p.ready) for p in planned], [(3, True), (2, False), (1, False)])
        self.assertTrue(in_order([job(1, 10, "a cord", "2026-12-01")], day="2026-12-12", minutes=100)[0].ready)

    @given(st.lists(st.floats(1.0, 500.0), min_size=1, max_size=9), st.floats(10.0, 1500.0))
    def test_no_other_order_has_more_of_them_ready(self, times: list[float], minutes: float) -> None:
        planned = in_order([job(n, t) for n, t in enumerate(times)], day="", minutes=minutes)
        ready = sum(p.ready for p in planned)
        best = 0
        total = 0.0
        for t in sorted(times):
            total += t
            best += total <= minutes
        self.assertEqual(ready, best)
