from playwright.sync_api import expect

from tests.support.whole_job import WholeJob


class TheHalvern(WholeJob):
    def test_its_if_strip_is_aligned_by_following_the_advice(self) -> None:
        apprentice = self.align("20318", if_hz=468e3, blind=2)
        self.assertGreaterEqual(apprentice.rounds, 1)
        self.assertLessEqual(
            {"Hands off for three seconds", "Rising", "Highest so far is passed", "The lower core of IFT1 slips"}, apprentice.heard
        )
        expect(self.page.get_by_text("dB at equal generator level")).to_be_visible()
        expect(self.page.get_by_text("Wax was cleared from the lower core of IFT1.")).to_be_visible()
