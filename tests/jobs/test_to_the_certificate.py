"""Sets from the shelf to a certificate that agrees with the store, in virtual time."""

import re
from itertools import pairwise

from tests.support.pages import Pages
from tests.support.to_certificate import ToTheCertificate


class TheCorvane(ToTheCertificate):
    def test_its_if_crystal_and_beat_its_four_bands_and_its_paper(self) -> None:
        self.job_id = self.job_of("R40-0611")
        apprentice = self.align(self.job_id, if_hz=465e3, blind=1)
        self.assertIn("Zero beat", apprentice.heard)
        # The envelope goes three times up and down: the trace's upper edge, thinned.
        heights = [float(place.split()[1]) for place in apprentice.looked[0].lstrip("M").split(" L")]
        edge = [min(heights[i : i + 25]) for i in range(0, len(heights) - 25, 25)]
        middle = (max(edge) + min(edge)) / 2.0
        self.assertTrue(4 <= sum((a - middle) * (b - middle) < 0 for a, b in pairwise(edge)) <= 7, edge)
        for phase in ("oscillator and dial", "front end"):
            self.lead_through(phase)
        self.power("off")
        self.climb_to_full()
        text = self.to_the_certificate()
        for words in ("Intermediate frequency", "Errors of the dial", "Front end"):
            self.assertIn(words, text)


class TheHalvern(ToTheCertificate):
    def test_from_the_shelf_to_a_paper_that_agrees_with_the_store(self) -> None:
        self.take_in()
        self.climb_to_full()
        self.watch(10).press("The start is through")
        self.assertIn("Every band is alive", self.read_the_bands(coil__SW="0.4").says)
        self.see_to_the_parts()
        self.mark_done("health")
        self.assertNotIn("Before alignment", self.page().text)

        self.climb_to_full()
        self.through_the_if()
        for phase in ("oscillator and dial", "front end"):
            self.lead_through(phase)

        page = self.page("verify").press("Measure it.*Selectivity", cover="on")
        self.assertIn("Width at −6", page.text)
        text = self.to_the_certificate()
        self.assertNotIn("width at −6 dB not measured", text)
        for words in ("Intermediate frequency", "Errors of the dial", "Front end", "Selectivity", "Instruments"):
            self.assertIn(words, text)
        self.assertNotIn("Issued though", text)

    def take_in(self) -> None:
        page = Pages(self).open("/")
        page.press("^Open it", model="halvern-6b", serial="30001", complaint="Stations run into each other.", bench="instruments")
        self.job_id = int(re.search(r"/jobs/(\d+)$", page.path)[1])  # type: ignore[index]
        self.mark_done("intake")
