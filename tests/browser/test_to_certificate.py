"""The Halvern 6B from intake to its certificate, through every phase, on the demo data; the paper is read back."""

import re

from playwright.sync_api import expect

from tests.browser.pages.start_page import StartPage
from tests.browser.test_every_page import violations
from tests.support.apprentice import Apprentice
from tests.support.browser import BrowserTest
from tests.support.to_certificate import (
    begin,
    lead_through,
    mark_done,
    read_the_bands,
    see_to_the_parts,
    to_the_certificate,
)


class TheHalvern(BrowserTest):
    def expected_errors(self) -> tuple[str, ...]:
        return ("409 (CONFLICT)",)  # the page asks whether what is not yet sure is meant

    def test_from_the_shelf_to_a_paper_that_agrees_with_the_store(self) -> None:
        page = self.page
        job_id = self.take_in()
        start = StartPage(page, job_id)
        start.climb_to_full()
        start.watch(10)
        start.press("The start is through")
        read_the_bands(page, job_id, short_wave="0.4")
        expect(page.get_by_role("status").first).to_contain_text("Every band is alive")
        see_to_the_parts(page, job_id)
        mark_done(page, job_id, "health")
        expect(page.get_by_role("region", name="Before alignment")).to_have_count(0)

        StartPage(page, job_id).climb_to_full()
        Apprentice(begin(page, job_id)).go_through()
        page.keyboard.press("Enter")
        page.wait_for_url("**/record")
        for _ in ("oscillator and dial", "front end"):
            lead_through(page, begin(page, job_id))

        page.goto(f"/jobs/{job_id}/verify")
        self.assertEqual(violations(page), [], "verification, before")
        with page.expect_navigation(timeout=120_000):
            page.get_by_role("button", name=re.compile("Measure it.*Selectivity")).click(timeout=120_000)
        expect(page.locator("#selectivity")).to_contain_text("Width at −6")
        text = to_the_certificate(self, self.live.workshop, page, job_id)
        self.assertNotIn("width at −6 dB not measured", text)
        for words in ("Intermediate frequency", "Errors of the dial", "Front end", "Selectivity", "Instruments"):
            self.assertIn(words, text)
        self.assertNotIn("Issued though", text)
        page.goto(f"/jobs/{job_id}/record")
        self.assertEqual(violations(page), [], "record")

    def take_in(self) -> int:
        page = self.page
        page.goto("/")
        page.get_by_text("Put a set on the shelf").click()
        page.get_by_text("Open a job", exact=True).click()
        form = page.locator("form[action='/jobs']")
        form.get_by_label("Model").select_option("halvern-6b")
        form.get_by_label("Number", exact=True).fill("30001")
        form.get_by_label("Complaints").fill("Stations run into each other.")
        form.get_by_label("come from instruments").check()
        form.get_by_role("button", name="Open it").click()
        page.wait_for_url(re.compile(r"/jobs/\d+$"))
        job_id = int(page.url.rsplit("/", 1)[1])
        page.get_by_role("button", name=re.compile("mark done by hand.*intake")).click()
        return job_id


if __name__ == "__main__":
    import unittest

    unittest.main()
