"""A set that no dossier describes, from the shelf to a record: sketched in two minutes, its parts added as they are met, aligned."""

import re

from playwright.sync_api import expect

from tests.browser.pages.bench_page import BenchPage
from tests.browser.pages.start_page import StartPage, sweep
from tests.browser.test_every_page import violations
from tests.support.apprentice import Apprentice
from tests.support.browser import BrowserTest


class WithoutPapers(BrowserTest):
    def test_from_a_box_to_a_record_on_a_practice_set_made_from_the_sketch(self) -> None:
        page = self.page
        self.sketch()
        expect(page.get_by_text("Typical, not from papers:")).to_be_visible()
        self.assertEqual(violations(page), [], "a sketched dossier")
        job = self.open_a_job()
        job_id = int(job.rsplit("/", 1)[1])
        page.get_by_role("button", name=re.compile("mark done by hand.*intake")).click()

        self.look_up_the_rail_and_start(job_id)
        self.sweep_what_is_met(job_id)
        page.goto(f"{job}/map")
        page.get_by_text("Nothing is marked on it").click()
        page.get_by_label("Own label").fill("X1")
        page.get_by_label("Kind").select_option("trimmer")
        page.get_by_label("What it does").select_option("signal circuit, high end of medium wave")
        page.get_by_label("mm from left").fill("250")
        page.get_by_label("mm from back").fill("60")
        page.get_by_role("button", name="Mark it").click()
        expect(page.get_by_role("region", name="Found, and beside what")).to_contain_text("X1")
        self.assertEqual(violations(page), [], "an adjuster that was added")
        self.hear_the_bands(job_id)

        page.goto(job)
        page.get_by_role("button", name=re.compile("mark done by hand.*health")).click()
        page.get_by_role("button", name="Begin at the bench").click()
        bench = BenchPage(page)
        bench.wait_until_ready()
        bench.press("u")
        bench.wait_for_links()
        Apprentice(bench).go_through()
        truth = self.live.workshop.live.truth()
        assert truth is not None
        self.assertLess(abs(truth.peak_hz - 465e3), 1500.0)  # one pair, whose top is flat
        self.assertLess(truth.loss_db - truth.best_loss_db, 0.6)
        bench.press("Enter")
        page.wait_for_url("**/record")
        expect(page.get_by_role("heading", name="In figures")).to_be_visible()
        page.goto(f"{job}/dossier")
        expect(page.get_by_role("region", name="Versions")).to_contain_text("adjuster X1: signal circuit, high end of medium wave")
        self.assertEqual(violations(page), [], "the dossier of a set")

    def look_up_the_rail_and_start(self, job_id: int) -> None:
        page = self.page
        start = StartPage(page, job_id)
        page.get_by_label("Volts").fill("230")
        page.get_by_label("Known from").first.select_option("a sister model’s papers")
        start.press("Keep it")
        start.climb("first")
        self.assertIn("unverified", start.rail("Smoothed rail"))
        start.climb("next")
        start.climb("next")
        start.watch(10)
        self.assertIn("Rails right and settled, warm", start.says)
        self.assertIn("confirmed here", start.rail("Smoothed rail"))
        start.press("The start is through")
        start = StartPage(page, job_id)
        start.press("Switch it off")

    def sweep_what_is_met(self, job_id: int) -> None:
        page = self.page
        page.goto(f"/jobs/{job_id}/parts")
        for part in ("R7 470k", "C4 10n", "IFT1-p 7", "IFT1-s 7"):
            page.get_by_label("Name, value printed on it, and measured").fill(part)
            page.get_by_label("Where it was found").fill("IF strip")
            page.keyboard.press("Enter")
            expect(page.locator(f"#part-{part.split()[0]}")).to_be_visible()
            expect(page.locator("#add-part")).to_be_focused()  # the next one is in hand
        self.assertEqual(violations(page), [], "parts that were added")
        sweep(page, job_id)
        expect(page.get_by_role("status").first).to_contain_text("All 4 parts are sound")

    def hear_the_bands(self, job_id: int) -> None:
        page = self.page
        page.goto(f"/jobs/{job_id}/bands")
        expect(page.get_by_text("meter it by hand")).to_be_visible()
        page.get_by_label("medium wave, aerial coil").fill("4.2")
        with page.expect_navigation():
            page.get_by_role("button", name="Keep it").click()
        start = StartPage(page, job_id)
        start.climb_to_full()
        page.goto(f"/jobs/{job_id}/bands")
        page.get_by_role("button", name="Read medium wave").click()
        expect(page.get_by_role("status").first).to_contain_text("Every band is alive")

    def sketch(self) -> None:
        """With no more than twelve inputs."""
        page = self.page
        page.goto("/")
        page.get_by_text("Sketch a model without papers").click()
        form = page.locator("form[action='/models/sketch']")
        form.get_by_label("Name").fill("Petrel 4")
        form.get_by_label("It is fed").select_option("live chassis")
        form.get_by_label("Intermediate frequency").fill("465k")
        form.get_by_label("Bands").fill("530k-1600k medium wave")
        form.get_by_label("IF cans").fill("1")
        form.get_by_label("A band’s low end is set by").select_option("padder")
        asked = form.locator("input:not([type=hidden]), select, textarea").count()
        self.assertLessEqual(asked, 12)
        form.get_by_role("button", name="Sketch it").click()
        expect(page.get_by_role("heading", name="Petrel 4")).to_be_visible()

    def open_a_job(self) -> str:
        page = self.page
        page.goto("/")
        page.get_by_text("Open a job", exact=True).click()
        form = page.locator("form[action='/jobs']")
        form.get_by_label("Model").select_option("petrel-4")
        form.get_by_label("Number", exact=True).fill("7")
        form.get_by_label("Complaints").fill("Came in a box.")
        form.get_by_label("come from instruments").check()
        form.get_by_role("button", name="Open it").click()
        page.wait_for_url(re.compile(r"/jobs/\d+$"))
        return page.url


if __name__ == "__main__":
    import unittest

    unittest.main()
