from playwright.sync_api import expect

from tests.support.whole_job import WholeJob


class TheHalvern(WholeJob):
    def test_its_if_strip_is_aligned_by_ear_by_following_the_advice(self) -> None:
        """Its loudspeaker is played in the browser, the browser listens, and nothing else reads the output."""
        apprentice = self.align("20318", if_hz=468e3, blind=0, by_ear=True, rounds=1)
        self.assertGreaterEqual(apprentice.rounds, 1)
        self.assertLessEqual(
            {"Hands off for three seconds", "Rising", "Highest so far is passed", "The lower core of IFT1 slips"}, apprentice.heard
        )
        with self.live.workshop.store() as conn:
            read_by = {row[0] for row in conn.execute("SELECT DISTINCT instrument FROM reading WHERE run_id = (SELECT max(id) FROM run)")}
        self.assertEqual(read_by, {"ears"})
        expect(self.page.get_by_text("dB at equal generator level")).to_be_visible()
        expect(self.page.get_by_text("Wax was cleared from the lower core of IFT1.").first).to_be_visible()
