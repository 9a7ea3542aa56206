"""A strip aligned by following the advice alone; the first adjuster by the key, its turns unknown to the program."""

from tests.support.whole_job import WholeJob, bring_in


class TheScout(WholeJob):
    def test_its_cans_are_aligned_by_following_the_advice(self) -> None:
        job_id = bring_in(self.workshop, model="pellow-scout", serial="S 90001")
        self.align(job_id, if_hz=452e3, blind=1)
