"""Every act that a whole job does by a page, once in the browser; the whole jobs themselves go through without one (tests/jobs)."""

import io
import re

from PIL import Image
from playwright.sync_api import Locator, expect

from calm_needle.store import intake, shelf
from calm_needle.store.db import transaction
from tests.browser.pages.guided_page import GuidedPage
from tests.browser.pages.start_page import StartPage, change, sweep
from tests.browser.test_every_page import violations
from tests.support.browser import BrowserTest
from tests.support.whole_job import BEGAN, bring_in

BOAT_HOUSE, DUNLIN, STANNARD = 4, 5, 6


class TakingIn(BrowserTest):
    def test_a_job_is_opened_and_a_phase_marked_done(self) -> None:
        page = self.page
        self.open_a_job("halvern-6b", "30001")
        with page.expect_navigation():
            page.get_by_role("button", name=re.compile("mark done by hand.*intake")).click()
        expect(page.get_by_role("button", name=re.compile("mark done by hand.*intake"))).to_have_count(0)

    def test_a_model_without_papers_is_sketched_with_no_more_than_twelve_inputs(self) -> None:
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
        self.assertLessEqual(form.locator("input:not([type=hidden]), select, textarea").count(), 12)
        form.get_by_role("button", name="Sketch it").click()
        expect(page.get_by_role("heading", name="Petrel 4")).to_be_visible()
        expect(page.get_by_text("Typical, not from papers:")).to_be_visible()
        self.assertEqual(violations(page), [], "a sketched dossier")

        self.open_a_job("petrel-4", "7")
        job = page.url
        page.goto(f"{job}/start")
        page.get_by_label("Volts").fill("230")
        page.get_by_label("Known from").first.select_option("a sister model’s papers")
        page.get_by_role("button", name="Keep it").click()
        page.goto(f"{job}/parts")
        page.get_by_label("Name, value printed on it, and measured").fill("R7 470k")
        page.get_by_label("Where it was found").fill("IF strip")
        page.keyboard.press("Enter")
        expect(page.locator("#part-R7")).to_be_visible()
        expect(page.locator("#add-part")).to_be_focused()  # the next one is in hand
        self.assertEqual(violations(page), [], "parts that were added")

    def open_a_job(self, model: str, number: str) -> None:
        page = self.page
        page.goto("/")
        page.get_by_text("Put a set on the shelf").click()
        page.get_by_text("Open a job", exact=True).click()
        form = page.locator("form[action='/jobs']")
        form.get_by_label("Model").select_option(model)
        form.get_by_label("Number", exact=True).fill(number)
        form.get_by_label("Complaints").fill("Came in a box.")
        form.get_by_label("come from instruments").check()
        form.get_by_role("button", name="Open it").click()
        page.wait_for_url(re.compile(r"/jobs/\d+$"))


class BeforeAlignment(BrowserTest):
    def test_a_set_is_started_watched_swept_mended_and_its_bands_are_read(self) -> None:
        page = self.page
        start = StartPage(page, DUNLIN)
        start.climb_to_full()
        start.watch(10)
        self.assertRegex(start.rail("Smoothed rail"), r"[Ss]ag")
        self.assertEqual(violations(page), [], "a start that is on")
        page.goto(f"/jobs/{DUNLIN}/bands")
        with page.expect_navigation():
            page.get_by_role("button", name="Read medium wave").click()
        expect(page.get_by_label("medium wave, from the generator")).to_have_value("alive")
        StartPage(page, DUNLIN).press("Switch it off")
        page.goto(f"/jobs/{DUNLIN}/bands")
        with page.expect_navigation():
            page.get_by_role("button", name="Read the aerial coils").click()
        expect(page.get_by_label("medium wave, aerial coil")).not_to_have_value("")
        sweep(page, DUNLIN, only=("R11", "C11"))
        expect(page.locator("#part-R11 [data-verdict]")).to_have_attribute("data-verdict", "out")
        change(page, DUNLIN, "R11", "V3 cathode 6.1 V, was 3.3 V", "better")


class ThePowerLine(BrowserTest):
    """What every page of a job says of the power, and lets one say."""

    def test_a_live_set_is_refused_to_the_meter_and_said_to_be_off_by_the_keys_without_losing_what_was_typed(self) -> None:
        page = self.page
        StartPage(page, DUNLIN).climb("first")
        line = page.get_by_role("form", name="Power")
        expect(line).to_contain_text(re.compile(r"on since \d\d:\d\d, behind a 40 W lamp"))
        page.goto(f"/jobs/{DUNLIN}/bands")
        page.get_by_role("button", name="Read medium wave").click()
        expect(page.get_by_text("Climb to full power first")).to_be_visible()
        page.goto(f"/jobs/{DUNLIN}/parts")
        field = page.locator("#in-R11")
        field.focus()
        page.keyboard.type("101")
        page.wait_for_function("() => document.documentElement.dataset.drafted")
        page.keyboard.press("Enter")
        expect(page.locator("#fault-R11")).to_contain_text("The set is on since")
        self.assertEqual(violations(page), [], "a live set")
        line.get_by_role("button", name="Switch it off").focus()
        page.keyboard.press("Enter")
        expect(line).to_contain_text("off since")
        page.get_by_role("button", name="Take it back").click()
        expect(field).to_have_value("101")
        field.press("Enter")
        expect(page.locator("#part-R11 [data-verdict]")).not_to_have_attribute("data-verdict", "blank")
        self.assertEqual(violations(page), [], "a set that is off")

    def expected_errors(self) -> tuple[str, ...]:
        return ("status of 422",)


class AGateWaived(BrowserTest):
    def test_with_a_reason_the_bench_is_open(self) -> None:
        page = self.page
        page.goto(f"/jobs/{BOAT_HOUSE}")
        page.get_by_text("Waive it, with a reason").click()
        page.get_by_label("Why; it stands in the record").fill("Only to find what does not peak.")
        self.assertEqual(violations(page), [], "a gate to be waived")
        page.get_by_role("button", name="Waive it").click()
        page.get_by_role("button", name="Begin at the bench").click()
        page.wait_for_selector("html[data-ready=yes]")


class AfterAlignment(BrowserTest):
    """The set is taken as aligned: what is measured, written and issued is the same."""

    def setUp(self) -> None:
        super().setUp()
        workshop = self.live.workshop
        self.job_id = bring_in(workshop, model="dunlin-3", serial="90003")
        with workshop.store() as conn, transaction(conn):
            intake.add_complaint(conn, job_id=self.job_id, words="Stations run into each other.", place="", at_utc=BEGAN)
            for phase in ("intermediate frequency", "oscillator and dial", "front end"):
                shelf.mark_phase(conn, job_id=self.job_id, phase=phase, state="done", remark="", at_utc=BEGAN)

    def measured(self, measure: Locator, covers: str) -> None:
        """Have the instruments measure with the covers so."""
        self.page.locator("#m-cover").select_option(covers)
        with self.page.expect_navigation():
            measure.click()

    def certificate_lacks(self, words: str) -> None:
        self.page.goto(f"/jobs/{self.job_id}/record")
        expect(self.page.locator("#certificate ul").first).to_contain_text(words)

    def test_it_is_measured_retested_certified_and_the_paper_checked(self) -> None:
        page = self.page
        StartPage(page, self.job_id).climb_to_full()
        page.goto(f"/jobs/{self.job_id}/verify")
        self.assertEqual(violations(page), [], "verification, before")
        alone = page.locator("#m-band option").count() == 1
        measure = page.get_by_role("button", name="Measure it" if alone else "Every band in turn", exact=True)
        measure.click()
        expect(page.locator("#m-cover:invalid")).to_be_focused()  # covers are asked, and never assumed
        self.measured(measure, "off")
        expect(page.get_by_role("status").first).to_contain_text("with the covers on")
        self.certificate_lacks("with the covers on")
        page.goto(f"/jobs/{self.job_id}/verify")
        self.measured(measure, "on")
        expect(page.get_by_role("status").first).to_contain_text("All bands are measured, and closed up.")
        page.goto(f"/jobs/{self.job_id}")
        page.locator("details:has(> form[action*='/retest']) > summary").first.click()
        form = page.locator("form[action*='/retest']").first
        form.get_by_label("gone").check()
        form.get_by_label("With which figure").fill("heard at 12 µV on every band")
        form.get_by_label("Covers").select_option("on")
        with page.expect_navigation():
            form.get_by_role("button", name="Keep the retest").click()
        self.certificate_lacks("parts measured")  # none of them was: it stands at the head of what is issued
        reason = page.get_by_label("Why it is issued all the same")
        if reason.count():
            reason.fill("shown on the open day")
        page.get_by_role("button", name=re.compile("^Issue")).click()
        link = page.get_by_role("link", name=re.compile(r"Certificate no\. \d+")).first
        with page.expect_download() as told:
            link.click()
        pdf = told.value.path().read_bytes()
        self.assertEqual(violations(page), [], "record")
        page.goto("/certificates/check")
        page.get_by_label("The PDF of a certificate").set_input_files({"name": "c.pdf", "mimeType": "application/pdf", "buffer": pdf})
        page.get_by_role("button", name="Check it").click()
        expect(page.get_by_role("status")).to_contain_text("agrees with the store")


class AWindingWoundAnew(BrowserTest):
    def test_guided_work_reads_its_meters_and_a_lead_is_pinned_in_a_photograph(self) -> None:
        page = self.page
        sweep(page, STANNARD, only=("IFT1-p", "IFT2-p"))
        guided = GuidedPage(page, STANNARD)
        guided.begin("Wind a coil anew")
        self.assertEqual(guided.value("ohm_found"), "open")
        guided.keep(end_found="no")
        guided.keep("sister_l_h", "c_found_f", "f_found_hz")
        self.assertEqual(violations(page), [])
        picture = io.BytesIO()
        Image.new("RGB", (640, 400), (90, 80, 255)).save(picture, "JPEG")
        page.goto(f"/jobs/{STANNARD}/photographs")
        page.get_by_label("Pictures").set_input_files({"name": "can.jpg", "mimeType": "image/jpeg", "buffer": picture.getvalue()})
        page.get_by_label("What they show").fill("the can, opened")
        page.get_by_role("button", name="Attach").click()
        page.get_by_role("link", name=re.compile("the can, opened")).first.click()
        page.wait_for_load_state()  # pointing is the script's
        page.get_by_label("It marks").select_option("lead")
        page.locator("svg[data-point-x]").click(position={"x": 200, "y": 150})
        page.get_by_label("What is there").fill("start of the winding")
        page.get_by_role("button", name="Add the pin").click()
        expect(page.get_by_role("region", name="Pins")).to_contain_text("start of the winding")
        self.assertEqual(violations(page), [])
