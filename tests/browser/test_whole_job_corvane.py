from itertools import pairwise

from playwright.sync_api import expect

from calm_needle.store import shelf
from tests.browser.pages.start_page import StartPage
from tests.support.to_certificate import begin, lead_through, to_the_certificate
from tests.support.whole_job import WholeJob


class TheCorvane(WholeJob):
    def test_its_if_crystal_and_beat_are_set_by_following_the_advice(self) -> None:
        apprentice = self.align("R40-0611", if_hz=465e3, blind=1)
        self.assertIn("Zero beat", apprentice.heard)
        expect(self.page.get_by_text("answered: Yes")).to_be_visible()
        # The envelope goes three times up and down: the trace's upper edge, thinned.
        heights = [float(place.split()[1]) for place in apprentice.looked[0].lstrip("M").split(" L")]
        edge = [min(heights[i : i + 25]) for i in range(0, len(heights) - 25, 25)]
        middle = (max(edge) + min(edge)) / 2.0
        self.assertTrue(4 <= sum((a - middle) * (b - middle) < 0 for a, b in pairwise(edge)) <= 7, edge)
        self.go_on_to_the_certificate()

    def go_on_to_the_certificate(self) -> None:
        page = self.page
        with self.live.workshop.store() as conn:
            job_id = next(j.id for j in shelf.newest_jobs(conn, limit=50) if j.serial == "R40-0611")
        for _ in ("oscillator and dial", "front end"):
            lead_through(page, begin(page, job_id))
        StartPage(page, job_id).climb_to_full()
        text = to_the_certificate(self, self.live.workshop, page, job_id)
        for words in ("Intermediate frequency", "Errors of the dial", "Front end"):
            self.assertIn(words, text)
