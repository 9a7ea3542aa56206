from playwright.sync_api import expect

from tests.support.whole_job import WholeJob


class TheCorvane(WholeJob):
    def test_its_if_crystal_and_beat_are_set_by_following_the_advice(self) -> None:
        apprentice = self.align("R40-0611", if_hz=465e3, blind=1)
        self.assertIn("Zero beat", apprentice.heard)
        expect(self.page.get_by_text("answered: Yes")).to_be_visible()
