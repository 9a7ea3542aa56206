"""The dial by a person on the real page: marks read, advice followed, what cannot be turned said, and what was read looked at."""

import re

from playwright.sync_api import expect

from calm_needle.store import practice, shelf
from calm_needle.store.db import transaction
from tests.browser.pages.bench_page import BenchPage
from tests.browser.test_every_page import violations
from tests.support.apprentice import Apprentice
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

    def bring_to_frequency(self, bench: BenchPage) -> None:
        """Set what is to be set, and turn as the page says."""
        if bench.main_act == "Set it all":
            self.choose("Enter")
        Apprentice(bench).turn_one()


class OneAdjusterForTwo(Dial):
    def expected_errors(self) -> tuple[str, ...]:
        return ("422",)

    def test_a_seized_core_is_said_the_trimmer_does_what_can_be_done_and_a_padder_that_turns_does_the_rest(self) -> None:
        workshop = self.live.workshop
        with workshop.store() as conn, transaction(conn):  # somebody peaked the front end before the oscillator was right
            job = next(j for j in shelf.newest_jobs(conn, limit=50) if j.serial == SEIZED_SET)
            shelf.mark_phase(conn, job_id=job.id, phase="front end", state="done", remark="by hand", at_utc=job.opened_utc)
        bench = self.begin(SEIZED_SET)
        said = self.read_marks(bench)
        self.assertEqual(len(said), 3)
        self.assertIn("With the pointer at 600", said[0])
        self.assertRegex(bench.advice, r"Two moves bring it from [\d.]+.kHz at the worst to [\d.]+.Hz")
        expect(self.page.locator("[data-part=moves] li")).to_have_count(2)
        expect(self.page.locator("[data-part=dial-curve] svg")).to_be_visible()
        self.choose("Enter")
        self.choose("Enter")  # all is set
        while "oscillator core" not in bench.title:
            self.bring_to_frequency(bench)
            self.choose("Enter")
        bench.turn(1)
        bench.wait_for_reading_after(bench.reading_id + 3)
        self.assertIn("is at its stop or does not move", bench.advice)
        self.choose("x")
        self.read_marks(bench)
        expect(self.page.locator("[data-part=cause]")).to_contain_text("cannot be turned")
        expect(self.page.locator("[data-part=cause]")).to_contain_text("With the padder made adjustable")
        if bench.main_act != "Leave it as it is":
            expect(self.page.locator("[data-part=moves] li")).to_have_count(1)
            self.choose("Enter")
            self.bring_to_frequency(bench)
            self.read_marks(bench)
        self.assertIn("Go on", bench.advice)
        self.choose("Enter")
        self.assertEqual(bench.title, "All done here")
        bench.press("Enter")
        self.page.wait_for_url("**/record")
        dial = self.page.get_by_role("table", name="The dial")
        expect(dial).to_contain_text("Medium wave, worst")
        expect(dial).to_contain_text("least its adjusters can do")
        self.page.goto(f"/jobs/{job.id}")
        expect(self.page.get_by_text(re.compile("again: .* was turned in run")).first).to_be_visible()
        expect(self.page.get_by_role("button", name="Do again what is stale")).to_be_visible()
        self.fit_a_trimmer_for_its_padder(job.id)
        self.page.goto(f"/jobs/{job.id}")
        for phase in ("Safe start again: C11 was made adjustable", "Health again", "Oscillator and dial again", "Front end again"):
            expect(self.page.get_by_text(phase).first).to_be_visible()
        with workshop.store() as conn, transaction(conn):
            for phase in ("safe start", "health"):
                shelf.mark_phase(conn, job_id=job.id, phase=phase, state="done", remark="by hand", at_utc=job.opened_utc)
        self.page.goto(f"/jobs/{job.id}")
        self.page.get_by_role("button", name="Do again what is stale").click()
        bench.wait_until_ready()
        bench.press("u")
        bench.wait_for_links()
        self.read_marks(bench)
        least = self.page.locator("[data-option=least-worst]")
        self.choose(least.locator(".key").inner_text())
        self.choose("Enter")  # all is set
        titles = []
        for _ in range(2):
            titles.append(bench.title)
            self.bring_to_frequency(bench)
            self.choose("Enter")
        self.assertTrue(any("with the padder C11A" in t for t in titles), titles)
        self.read_marks(bench)
        worst = re.match(r"Worst at [^:]+: [+−]?([\d.]+)\u2009(k?)Hz", bench.evidence)
        assert worst, bench.evidence
        self.assertLess(float(worst[1]) * (1e3 if worst[2] else 1.0), 2500.0)

    def fit_a_trimmer_for_its_padder(self, job_id: int) -> None:
        """On the dial's page, after the iron: refused until it was looked over; then the set has a dossier of its own."""
        self.page.goto(f"/jobs/{job_id}/dial")
        band = self.page.get_by_role("region", name="Medium wave")
        band.get_by_text("Make its padder C11 adjustable").click()
        band.get_by_role("button", name="It is fitted").click()
        expect(band.get_by_role("alert")).to_contain_text("Look it over first")
        self.assertEqual(violations(self.page), [], "a padder made adjustable")
        band.get_by_label("It takes the place of an adjuster").select_option("L2")
        band.get_by_label(re.compile("Looked over")).check()
        band.get_by_role("button", name="It is fitted").click()
        expect(band.get_by_text("no longer turns in this set")).to_be_visible()
        expect(band.get_by_text("Make its padder C11 adjustable")).to_have_count(0)
        expect(band.get_by_role("table", name="Adjusters of medium wave")).to_contain_text("padder C11A")


class TheDriftedPadder(Dial):
    def test_it_is_named_and_what_exact_where_one_listens_costs_stands_beside_the_least_worst(self) -> None:
        bench = self.begin(PADDER_SET)
        self.read_marks(bench)
        self.choose("2")  # long wave is left as it is
        self.read_marks(bench)
        cause = self.page.locator("[data-part=cause]")
        expect(cause).to_contain_text(re.compile(r"The padder C20 has about \d+ % more than it is drawn for"))
        expect(cause).to_contain_text("No other part explains the readings as well")
        expect(self.page.locator("[data-option=exact]")).to_have_count(0)
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
