"""What is heard of the practice set: as the meter reads it; kept with its job, played beside another. A photograph beside a page."""

import io
import math
import re
from statistics import median

from PIL import Image
from playwright.sync_api import Page, expect

from calm_needle.store import shelf
from tests.browser.pages.bench_page import BenchPage
from tests.browser.pages.ears_page import listen_to_the_practice_set
from tests.browser.test_every_page import violations
from tests.support.browser import BrowserTest

SERIAL, TYPED_JOB = "20318", 3
A_NUMBER = re.compile(r"\d")
MOST_TRIES = 20


class HearingThePracticeSet(BrowserTest):
    times = 1.0

    def test_its_loudspeaker_is_heard_as_the_meter_reads_it_and_kept_side_by_side(self) -> None:
        bench = BenchPage.at_first_core(self.page, SERIAL)
        volume = self.page.get_by_label("Volume of the practice set")
        expect(volume).to_be_hidden()  # off at first
        self.page.get_by_role("button", name="Hear its loudspeaker").click()
        expect(volume).to_be_visible()
        self.assertLess(float(volume.input_value()), -30.0)
        self.assertEqual(violations(self.page), [])
        self.page.get_by_role("button", name="Stop it").click()
        expect(volume).to_be_hidden()

        ears = self.page.context.new_page()
        listen_to_the_practice_set(ears)
        shown = ears.locator("[data-figure=volts]")
        expect(shown).to_have_text(re.compile(r"\d\smV"))
        apart: list[float] = []
        while len(apart) < 9:
            expect(shown).to_have_text(A_NUMBER)  # else it was interrupted just then
            bench.wait_for_reading_after(bench.reading_id + 4)
            if heard := re.match(r"[\d.]+", shown.inner_text()):
                apart.append(20.0 * math.log10(float(heard[0]) / float(bench.reading)))
        self.assertLess(abs(median(apart)), 0.3, apart)
        self.assertEqual(violations(ears), [])
        job_id = self.job_of_the_set()
        for words in ("before", "after"):
            self.keep(ears, words, job_id)
        ears.get_by_role("link", name=f"recordings of job {job_id}").click()
        self.hear_both(ears)

    def keep(self, ears: Page, words: str, job_id: int) -> None:
        """Keep the last two seconds; what was interrupted in them is refused, and tried again."""
        for _ in range(MOST_TRIES):
            expect(ears.locator("[data-figure=beat]")).to_have_text(A_NUMBER)  # so long it has listened
            ears.get_by_label("What it is").fill(words)
            ears.get_by_label("The last").select_option("2")
            ears.get_by_label("With the job").select_option(str(job_id))
            with ears.expect_navigation():
                ears.get_by_role("button", name="Keep the sound").click()
            if ears.get_by_role("link", name=f"recordings of job {job_id}").count():
                return
        self.fail(f"not kept after {MOST_TRIES} tries: {ears.locator('main').inner_text()[:500]}")

    def expected_errors(self) -> tuple[str, ...]:
        return ("status of 422",)

    def job_of_the_set(self) -> int:
        with self.live.workshop.store() as conn:
            return next(j.id for j in shelf.newest_jobs(conn, limit=50) if j.serial == SERIAL)

    def hear_both(self, page: Page) -> None:
        expect(page.get_by_role("region", name="after")).to_contain_text("mV read, generator at 468.000")
        page.get_by_role("region", name="after").get_by_role("button", name="Hear both").click()
        beside = page.get_by_role("region", name="Side by side")
        expect(beside.get_by_text("Judged again just now: the same, to the last digit.")).to_have_count(2)
        self.assertEqual(violations(page), [])
        playing = "() => [...document.querySelectorAll('[data-beside] audio')].map((a) => !a.paused)"
        page.keyboard.press("x")
        page.wait_for_function(f"() => ({playing})().join() === 'true,false'")
        page.keyboard.press("x")
        page.wait_for_function(f"() => ({playing})().join() === 'false,true'")


class ADoubledTab(BrowserTest):
    def test_a_tab_that_was_doubled_is_another_page_and_one_that_is_loaded_anew_is_the_same(self) -> None:
        name = "() => sessionStorage.getItem('ears-page')"
        self.page.goto("/ears")
        first = self.page.evaluate(name)
        self.page.reload()
        BenchPage(self.page).wait_until(lambda: self.page.evaluate("() => navigator.locks.query().then((all) => all.held.length > 0)"))
        self.assertEqual(self.page.evaluate(name), first)
        doubled = self.page.context.new_page()
        doubled.add_init_script(f"sessionStorage.getItem('ears-page') ?? sessionStorage.setItem('ears-page', '{first}')")
        doubled.goto("/ears")
        BenchPage(doubled).wait_until(lambda: doubled.evaluate(name) != first)
        self.assertEqual(self.page.evaluate(name), first)


class APhotographBesideThePage(BrowserTest):
    times = 1.0

    def test_it_stays_beside_the_fields_that_are_filled_from_it(self) -> None:
        page, picture = self.page, io.BytesIO()
        Image.new("RGB", (1600, 1000), (240, 230, 200)).save(picture, "JPEG")
        page.goto(f"/jobs/{TYPED_JOB}/dial")
        expect(page.get_by_role("button", name="Photograph beside")).to_have_count(0)
        page.goto(f"/jobs/{TYPED_JOB}/photographs")
        page.get_by_label("Pictures").set_input_files({"name": "a.jpg", "mimeType": "image/jpeg", "buffer": picture.getvalue()})
        page.get_by_label("What they show").fill("the printed dial")
        page.get_by_role("button", name="Attach").click()
        expect(page.get_by_role("link", name=re.compile("the printed dial"))).to_be_visible()
        page.goto(f"/jobs/{TYPED_JOB}/dial")
        page.get_by_role("button", name="Photograph beside").click()
        shown = page.get_by_role("img", name="the printed dial")
        expect(shown).to_be_visible()
        self.assertEqual(violations(page), [])
        before = (shown.bounding_box() or {})["width"]
        page.get_by_role("button", name="Larger").click()
        self.assertGreater((shown.bounding_box() or {})["width"], 1.2 * before)
        page.goto(f"/jobs/{TYPED_JOB}/dossier/marks")
        expect(shown).to_be_visible()
        self.assertGreater((shown.bounding_box() or {})["width"], 1.2 * before)
        field = page.locator("main input[type=text], main input:not([type])").first
        box, panel = field.bounding_box(), page.get_by_label("Photograph beside the page").bounding_box()
        assert box and panel
        self.assertLess(box["x"] + box["width"], panel["x"], "the photograph lies beside the fields and not on them")
        page.get_by_role("button", name="Close").click()
        expect(shown).to_be_hidden()


if __name__ == "__main__":
    import unittest

    unittest.main()
