"""A peak is proven with hands off, on the page, by a hand whose turns nobody counts."""

from tests.browser.pages.bench_page import BenchPage
from tests.support.apprentice import Apprentice
from tests.support.browser import BrowserTest


class HandsOff(BrowserTest):
    def test_they_are_asked_for_before_the_crest_is_called_one(self) -> None:
        bench = BenchPage.at_first_core(self.page)
        bench.hide_turns(True)
        apprentice = Apprentice(bench)
        apprentice.turn_one()
        self.assertLessEqual({"About there", "On the crest"}, apprentice.heard)
        self.assertNotEqual(bench.title, "Peak the lower core of IFT2")
