from tests.support.whole_job import WholeJob, bring_in


class TheScout(WholeJob):
    def test_its_cans_are_aligned_by_following_the_advice(self) -> None:
        bring_in(self.live.workshop, model="pellow-scout", serial="S 90001")
        self.align("S 90001", if_hz=452e3, blind=1)
