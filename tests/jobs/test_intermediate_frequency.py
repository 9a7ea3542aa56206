"""Whole strips, aligned by following the advice alone."""

from itertools import pairwise

from tests.support.whole_job import WholeJob, bring_in


class TheScout(WholeJob):
    def test_its_cans_are_aligned_by_following_the_advice(self) -> None:
        job_id = bring_in(self.workshop, model="pellow-scout", serial="S 90001")
        self.align(job_id, if_hz=452e3, blind=1)


class TheCorvane(WholeJob):
    def test_its_if_crystal_and_beat_are_set_by_following_the_advice(self) -> None:
        apprentice = self.align(self.job_of("R40-0611"), if_hz=465e3, blind=1)
        self.assertIn("Zero beat", apprentice.heard)
        # The envelope goes three times up and down: the trace's upper edge, thinned.
        heights = [float(place.split()[1]) for place in apprentice.looked[0].lstrip("M").split(" L")]
        edge = [min(heights[i : i + 25]) for i in range(0, len(heights) - 25, 25)]
        middle = (max(edge) + min(edge)) / 2.0
        self.assertTrue(4 <= sum((a - middle) * (b - middle) < 0 for a, b in pairwise(edge)) <= 7, edge)
