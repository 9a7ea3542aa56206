"""The dial by a person on the real page: marks read, advice followed, what cannot be turned said, and what was read looked at."""

import re

from playwright.sync_api import expect

from calm_needle.core.procedure.dial.band import travel_share
from calm_needle.store import practice, shelf
from calm_needle.store.db import transaction
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from tests.browser.pages.bench_page import BenchPage
from tests.browser.test_every_page import violations
from tests.support.browser import BrowserTest
from tests.support.whole_job import bring_in

PADDER_SET, SEIZED_SET = "21877", "S 120931"


class Dial(BrowserTest):
    def begin(self, serial: str) -> BenchPage:
        bench = BenchPage.begin(self.page, serial)
        bench.wait_for_links()
        return bench

    def read_marks(self, bench: BenchPage) -> list[str]:
        """Read mark after mark until there is something to decide; return what was said of each."""
        said = []
        while not self.page.locator("[data-option]").count():
            title = bench.title
            if bench.main_act != "Set it all":
                expect(self.page.locator("[data-part=advice] p").first).to_contain_text("Take it")
                said.append(bench.evidence)
            bench.press("Enter")
            expect(self.page.locator("[data-part=title]").or_(self.page.get_by_role("heading", level=1))).not_to_have_text(title)
        return said

    def choose(self, key: str) -> None:
        """Go a way, and wait until the page has gone on."""
        title = self.page.get_by_role("heading", level=1).inner_text()
        self.page.keyboard.press(key)
        expect(self.page.get_by_role("heading", level=1)).not_to_have_text(title)


class APadderMadeAdjustable(Dial):
    def expected_errors(self) -> tuple[str, ...]:
        return ("422",)

    def test_it_is_refused_until_it_was_looked_over_and_then_the_set_has_a_dossier_of_its_own(self) -> None:
        with self.live.workshop.store() as conn:
            job = next(j for j in shelf.newest_jobs(conn, limit=50) if j.serial == SEIZED_SET)
        self.page.goto(f"/jobs/{job.id}/dial")
        band = self.page.get_by_role("region", name="Medium wave")
        band.get_by_text("Make its padder C11 adjustable").click()
        band.get_by_role("button", name="It is fitted").click()
        expect(band.get_by_role("alert")).to_contain_text("Look it over first")
        expect(band.get_by_role("alert")).to_contain_text("Nobody has said whether the set is on")
        self.assertEqual(violations(self.page), [], "a padder made adjustable")
        self.page.get_by_role("button", name="It is off").click()
        band.get_by_text("Make its padder C11 adjustable").click()
        band.get_by_label("It takes the place of an adjuster").select_option("L2")
        band.get_by_label(re.compile("Looked over")).check()
        band.get_by_role("button", name="It is fitted").click()
        expect(band.get_by_text("no longer turns in this set")).to_be_visible()
        expect(band.get_by_text("Make its padder C11 adjustable")).to_have_count(0)
        expect(band.get_by_role("table", name="Adjusters of medium wave")).to_contain_text("padder C11A")


class TheDriftedPadder(Dial):
    def expected_errors(self) -> tuple[str, ...]:
        return ("409",)  # a frequency that is asked about

    def test_it_is_named_and_what_exact_where_one_listens_costs_stands_beside_the_least_worst(self) -> None:
        bench = self.begin(PADDER_SET)
        self.read_marks(bench)
        self.choose("2")  # long wave is left as it is
        self.read_marks(bench)
        expect(self.page.locator("[data-part=moves] li")).not_to_have_count(0)
        expect(self.page.locator("[data-part=dial-curve] svg")).to_be_visible()
        cause = self.page.locator("[data-part=cause]")
        expect(cause).to_contain_text(re.compile(r"The padder C20 has about \d+ % more than it is drawn for"))
        expect(cause).to_contain_text("No other part explains the readings as well")
        expect(self.page.locator("[data-option=exact]")).to_have_count(0)
        self.page.get_by_label("Where its owner listens").fill("909")
        self.page.get_by_role("button", name="Show what that costs elsewhere").click()
        asked = self.page.get_by_role("alertdialog")
        expect(asked).to_contain_text(re.compile(r"909\sHz is not on medium wave\. Was 909\skHz meant\?"))
        asked.get_by_role("button", name="No").click()
        self.page.reload()
        self.page.wait_for_selector("html[data-ready=yes]")
        self.page.get_by_label("Where its owner listens").fill("909 kHz")
        self.assertEqual(violations(self.page), [], "the decision")
        self.page.get_by_role("button", name="Show what that costs elsewhere").click()
        exact = self.page.locator("[data-option=exact]")
        expect(exact).to_contain_text("Exact at 909")
        expect(exact.get_by_role("cell").last).to_have_text("0\u2009Hz")


class WithinTolerance(Dial):
    def test_it_is_left_alone_by_three_readings_with_what_touching_would_make_stale(self) -> None:
        workshop = self.live.workshop
        bring_in(workshop, model="halvern-6b", serial="As it should be")
        with workshop.store() as conn, transaction(conn):
            job = next(j for j in shelf.newest_jobs(conn, limit=1))
            shelf.mark_phase(conn, job_id=job.id, phase="intermediate frequency", state="done", remark="", at_utc=job.opened_utc)
            practice.add_fault(conn, set_id=job.set_id, fault="strip-aligned")
            practice.add_fault(conn, set_id=job.set_id, fault="tanks-as-drawn")
        bench = self.begin("As it should be")
        self.read_marks(bench)
        self.assertEqual(bench.advice, "Within its tolerance: leave it alone.")
        self.assertIn("would make the front end of this band stale", bench.evidence)
        self.assertEqual(bench.main_act, "Leave it as it is")


class WhatTheDialIs(Dial):
    def expected_errors(self) -> tuple[str, ...]:
        return ("422",)

    def test_a_shorting_gang_is_told_from_a_tired_oscillator(self) -> None:
        for fault, said in (("gang-shorts", "The gang: it dies at one shaft angle"), ("oscillator-tired", "On short wave it dies above")):
            workshop = self.live.workshop
            bring_in(workshop, model="halvern-6b", serial=fault)
            with workshop.store() as conn, transaction(conn):
                job = shelf.newest_jobs(conn, limit=1)[0]
                practice.add_fault(conn, set_id=job.set_id, fault=fault)
            self.page.goto(f"/jobs/{job.id}/dial")
            runs = self.page.get_by_role("region", name="Where the oscillator runs").get_by_role("status")
            expect(runs).to_contain_text("Not read yet")
            self.page.get_by_role("button", name="Sweep the oscillator on every band").click()
            expect(runs).to_contain_text(said)

    def test_drop_outs_that_are_typed_band_by_band_name_the_gang_wherever_the_job_is_looked_at(self) -> None:
        workshop = self.live.workshop
        job_id = bring_in(workshop, model="halvern-6b", serial="typed", bench="typed")
        with workshop.store() as conn:
            model = model_of_dossier(conn, job_of(conn, job_id).dossier_id)
        self.page.goto(f"/jobs/{job_id}/dial")
        runs = self.page.get_by_role("region", name="Where the oscillator runs")
        for band in model.bands:
            runs.get_by_text("Type what a counter shows").click()
            runs.get_by_label("Band").select_option(band.id)
            places = [band.f_low_hz * (band.f_high_hz / band.f_low_hz) ** (i / 12.0) for i in range(13)]
            shown = ("dead" if travel_share(band, f) < 0.3 else f"{(f + band.if_hz) / 1e3:.1f}k" for f in places)
            runs.get_by_label("A place of the dial").fill(
                "\n".join(f"{f / 1e3:.1f}k {read}" for f, read in zip(places, shown, strict=True))
            )
            with self.page.expect_navigation():
                runs.get_by_role("button", name="Keep these readings").click()
        expect(runs.get_by_role("status")).to_contain_text("The gang: it dies at one shaft angle")
        for page in ("", "/guided", "/record", "/hand-back"):
            self.page.goto(f"/jobs/{job_id}{page}")
            expect(self.page.get_by_text("it dies at one shaft angle").first).to_be_visible()

    def test_each_band_shows_its_frequencies_its_scale_and_who_serves_which_end(self) -> None:
        self.page.goto("/jobs/9/dial")
        band = self.page.get_by_role("region", name="Medium wave")
        expect(band.get_by_role("img", name=re.compile("image 1.46"))).to_be_visible()
        expect(band.get_by_role("table", name="Adjusters of medium wave")).to_contain_text("none on this band")
        expect(self.page.get_by_text("Long wave and medium wave leave a gap of 240")).to_be_visible()
        self.page.get_by_text("Type what a counter shows").click()
        self.page.get_by_label("A place of the dial and the oscillator there").fill("600k 1068k\nsomewhere")
        self.page.get_by_role("button", name="Keep these readings").click()
        expect(self.page.get_by_role("alert")).to_contain_text("Line 2, “somewhere”")


class NobodyCountsTheTurns(Dial):
    def test_the_wrong_way_is_said_and_the_right_one_is_kept(self) -> None:
        bench = self.begin(PADDER_SET)
        self.read_marks(bench)
        self.choose("1")  # long wave is set for the least worst error
        bench.press_and_wait_for("Enter", re.compile("Bring the oscillator to"))
        bench.hide_turns(True)
        bench.wait_until(lambda: "either way" in bench.advice)
        way, said = 1, []
        for _ in range(60):
            bench.turn(way)
            said.append(bench.advice)
            if "going away" in said[-1]:
                break
            if "Go on the same way" in said[-1]:
                way = -1  # towards it was found: now the other way, on purpose
        self.assertIn("Turn the other way", said[-1])
        expect(self.page.locator("[data-part=advice]")).to_contain_text("Turn the other way until it moves")  # at rest, it is remembered
        self.assertEqual(violations(self.page), [], "set by feel")
        for _ in range(12):
            bench.turn(-way)
            if "Go on the same way" in bench.advice:
                break
        self.assertIn("Go on the same way", bench.advice)
