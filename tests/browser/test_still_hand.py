"""A peak is proven with hands off, on the page, by a hand whose turns nobody counts."""

import re

from playwright.sync_api import expect

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


class Undecided(BrowserTest):
    def test_a_manual_reading_at_its_limit_is_neither_inside_nor_outside(self) -> None:
        page = self.page
        page.goto("/jobs/2/verify")
        page.get_by_text("Measured by hand: write it down").click()
        form = page.locator("form[action$='/write/sensitivity']")
        form.get_by_label("Band").select_option(label="medium wave")
        form.get_by_label("By", exact=True).select_option(index=1)
        form.get_by_label("Level needed").fill("150 µV")
        form.get_by_label("Covers").select_option("on")
        form.get_by_role("button", name="Keep it").click()
        said = page.get_by_text(re.compile("Undecided: nearer to its limit than its uncertainty of ±")).first
        expect(said).to_contain_text("The chance that it is within is 50")
