"""Ways in which a dial is read and a front end peaked, on the real page: carriers, a swung generator, images, gang, cover, rocking."""

import json
import re

from playwright.sync_api import expect

from calm_needle.store import practice, shelf
from calm_needle.store.db import transaction
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs.shelf import take_in_dossier
from tests.browser.pages.bench_page import BenchPage
from tests.browser.test_every_page import violations
from tests.support import dossiers
from tests.support.browser import BrowserTest
from tests.support.whole_job import bring_in

PADDER_JOB = "/jobs/9"


class Ways(BrowserTest):
    def expected_errors(self) -> tuple[str, ...]:
        return ("422",)

    def begin_by(self, means: str, *, job: str = PADDER_JOB, phase: str = "") -> BenchPage:
        """From the job's page to the bench, frequencies read by these means."""
        self.page.goto(job)
        if phase:
            self.page.get_by_role("button", name=f"Run {phase}").click()
        else:
            self.page.get_by_label("Frequencies are read by").select_option(means)
            self.page.get_by_role("button", name="Begin at the bench").click()
        bench = BenchPage(self.page)
        bench.wait_until_ready()
        bench.press("u")
        expect(self.page.get_by_role("button", name=re.compile("^Understood U"))).to_have_count(0)
        return bench

    def on(self, key: str) -> None:
        """Press a key that leads on, and wait until the page has gone there."""
        title = self.page.get_by_role("heading", level=1).inner_text()
        self.page.keyboard.press(key)
        expect(self.page.get_by_role("heading", level=1)).not_to_have_text(title)

    def type_reading(self, words: str, said: str | re.Pattern[str]) -> None:
        kept = self.page.locator("ol[aria-label='Kept readings, newest first'] li").count()
        self.page.locator("#reading").fill(words)
        self.page.keyboard.press("Enter")
        expect(self.page.locator("ol[aria-label='Kept readings, newest first'] li")).to_have_count(kept + 1)
        expect(self.page.locator("[data-part=advice]")).to_contain_text(said)

    def brought_in(self, model: str, serial: str, *faults: str) -> JobRow:
        """A set of a model whose strip is aligned, with faults, and its job."""
        workshop = self.live.workshop
        bring_in(workshop, model=model, serial=serial)
        with workshop.store() as conn, transaction(conn):
            job = shelf.newest_jobs(conn, limit=1)[0]
            shelf.mark_phase(conn, job_id=job.id, phase="intermediate frequency", state="done", remark="", at_utc=job.opened_utc)
            for fault in ("strip-aligned", *faults):
                practice.add_fault(conn, set_id=job.set_id, fault=fault)
        return job


class ByCarriers(Ways):
    def test_a_carrier_is_added_used_to_read_the_dial_and_taken_out_again(self) -> None:
        self.page.goto(f"{PADDER_JOB}/dial")
        known = self.page.get_by_role("region", name="Carriers you know")
        known.get_by_role("textbox", name="Name").fill("Sandel Light")
        known.get_by_role("textbox", name="Frequency").fill("1233k")
        known.get_by_role("textbox", name="Known within").fill("9k")
        known.get_by_role("button", name="Add it").click()
        expect(known).to_contain_text("at most a thousandth of the frequency")
        known.get_by_role("textbox", name="Known within").fill("15")
        known.get_by_role("button", name="Add it").click()
        expect(known.get_by_role("row", name=re.compile("Sandel Light"))).to_contain_text("±15")
        bench = self.begin_by("carrier")
        for dial in ("173k", "217k", "269k"):
            self.on("Enter")
            expect(self.page.locator("[data-part=advice]")).to_contain_text("type where the pointer stands")
            self.type_reading(dial, "off the scale")
            self.on("Enter")
        self.assertRegex(bench.advice, r"Two moves bring it from 2\.\d+.kHz at the worst")
        expect(self.page.locator("[data-part=moves] li").first).to_contain_text("generator to")
        self.page.goto(f"{PADDER_JOB}/dial")
        expect(self.page.get_by_role("table", name="Marks on long wave as read")).to_contain_text("173.kHz".replace(".", "\u2009"))
        known.get_by_role("button", name="Take out Sandel Light").click()
        expect(known.get_by_role("row", name=re.compile("Sandel Light"))).to_have_count(0)


class ByTheGeneratorAlone(Ways):
    """A generator turned by hand, readings typed, and papers that do not say what the oscillator is made of."""

    def bring_in_without_values(self) -> JobRow:
        raw = dossiers.model("halvern-6b").raw
        bands = [{k: v for k, v in b.items() if k != "oscillator_tank"} for b in raw["bands"] if b["id"] == "SW"]
        groups = [g for g in raw["procedure"] if g["id"].endswith("-sw")]
        bare = {**raw, "key": "halvern-6c", "name": "Halvern 6C", "bands": bands, "procedure": groups}
        bare.pop("simulation")
        with self.live.workshop.store() as conn:
            take_in_dossier(conn, json.dumps(bare).encode(), name="halvern-6c.json")
        bring_in(self.live.workshop, model="halvern-6c", serial="bare")
        with self.live.workshop.store() as conn, transaction(conn):
            job = shelf.newest_jobs(conn, limit=1)[0]
            conn.execute("UPDATE job SET bench = 'typed' WHERE id = :id", {"id": job.id})
            shelf.mark_phase(conn, job_id=job.id, phase="intermediate frequency", state="done", remark="", at_utc=job.opened_utc)
        return job

    def test_typical_values_lead_and_a_crest_is_told_from_its_image(self) -> None:
        job = self.bring_in_without_values()
        bench = self.begin_by("generator", job=f"/jobs/{job.id}")
        for reads in ("6.6M", "11.2M", "17.5M"):
            self.on("Enter")
            self.type_reading(reads, "Found. Take it.")
            self.on("Enter")
        self.assertRegex(bench.advice, r"Two moves bring it from [\d.]+.kHz at the worst")
        self.assertIn("Its oscillator is not in the papers: this is worked out with typical values", bench.evidence)
        self.on("Enter")
        while not bench.title.startswith("See that it is not the image"):
            if bench.title != "Set up first":  # the moves themselves are another test's
                self.page.keyboard.press("s")
                self.page.get_by_role("dialog").get_by_role("textbox").fill("not here")
            self.on("Enter")
        at, other = re.findall(r"([\d.]+)\u2009MHz", bench.title)
        self.assertAlmostEqual(float(at) - float(other), 0.936, delta=0.001)
        for where, level, said in ((at, "40m", "Compare"), (other, "120m", "That crest is the image’s: it is 9.5 dB louder")):
            self.page.get_by_label("At which frequency").fill(f"{where}M")
            self.type_reading(level, said)
        self.assertIn("turn the SW oscillator trimmer the other way", bench.evidence)
        self.page.get_by_label("At which frequency").fill(f"{at}M")
        self.type_reading("300m", "It is the signal. Take it.")


class ByASwungGenerator(Ways):
    def test_the_program_swings_it_until_it_knows_where_the_set_listens(self) -> None:
        job = self.brought_in("halvern-6b", "swung", "tanks-as-drawn")
        bench = self.begin_by("swing", job=f"/jobs/{job.id}")
        bench.wait_for_links()
        self.on("Enter")
        expect(self.page.locator("[data-part=advice]")).to_contain_text("Swing the generator about 160")
        found = self.page.locator("[data-part=advice]", has_text="Found. Take it.")
        advice = self.page.locator("[data-part=advice]")
        for _ in range(16):
            expect(advice).not_to_contain_text("% done")
            if found.count():
                break
            said = advice.inner_text()
            # What the sentence says, the button says a moment later; until then Enter is refused.
            with self.page.expect_response(lambda answer: answer.request.method == "POST") as sent:
                bench.press("Enter")
            if sent.value.ok:
                expect(advice).not_to_have_text(said, use_inner_text=True)
        expect(found).to_contain_text("Its middle lies at")
        at_hz = float(re.search(r"lies at ([\d.]+)", bench.evidence).group(1)) * 1e3  # type: ignore[union-attr]
        self.assertAlmostEqual(at_hz, 160e3, delta=1.5e3)


class NeverTheImage(Ways):
    def test_it_is_measured_on_every_band_and_swapped_levels_are_refused(self) -> None:
        job = self.brought_in("halvern-6b", "imaged", "tanks-as-drawn")
        self.page.goto(f"/jobs/{job.id}/dial")
        images = self.page.get_by_role("region", name="How well it keeps images out")
        images.get_by_text("Type two levels of equal output").click()
        images.get_by_label("Level at the signal").fill("9m")
        images.get_by_label("Level at the image").fill("120u")
        images.get_by_role("button", name="Keep these levels").click()
        expect(images).to_contain_text("it was the image that was tuned in, or the two are swapped")
        images.get_by_role("button", name="Measure the image on every band").click()
        expect(self.page.locator("[data-image=SW]")).to_contain_text("dB (")
        for band, least, most in (("LW", 25, 60), ("MW", 25, 50), ("SW", 6, 25)):
            ratio = float(re.search(r"(\d+) dB \(", self.page.locator(f"[data-image={band}]").inner_text()).group(1))  # type: ignore[union-attr]
            self.assertTrue(least < ratio < most, (band, ratio))


class TheGang(Ways):
    def test_sections_are_compared_and_a_donor_is_foretold_before_it_is_soldered(self) -> None:
        self.page.goto(f"{PADDER_JOB}/dial")
        self.page.get_by_role("button", name="It is off").click()
        gang = self.page.get_by_role("region", name="The gang, section by section")
        expect(gang).to_contain_text("not read yet")
        gang.get_by_text("Type what a capacitance meter shows").click()
        gang.get_by_label("The pointer, on the scale of").select_option("MW")
        gang.get_by_label(re.compile("^Pointer, oscillator")).fill("600k 370p\nhere there")
        gang.get_by_role("button", name="Keep these sections").click()
        expect(gang.get_by_role("alert")).to_contain_text("Line 2, “here there”")
        sections = "550k 449p 449p 468p\n700k 260p 259p 277p\n1000k 110p 110p 121p\n1400k 39.5p 39.4p 46p"
        gang.get_by_label(re.compile("^Pointer, oscillator")).fill(sections)
        gang.get_by_role("button", name="Keep these sections").click()
        expect(gang).to_contain_text("Its sections agree")
        for band in ("Long wave", "Medium wave", "Short wave"):
            expect(gang).to_contain_text(f"{band} with the donor’s gang instead of the old one: off by up to")
        expect(gang.get_by_role("img")).to_be_visible()
        self.assertEqual(violations(self.page), [], "the dial’s page")


class TwoModes(Ways):
    def test_two_sweeps_are_compared_band_by_band(self) -> None:
        job = self.brought_in("halvern-6b", "two modes")
        self.page.goto(f"/jobs/{job.id}/dial")
        runs = self.page.get_by_role("region", name="Where the oscillator runs")
        for label, seen in (("mains at 230 V", "It runs over the whole"), ("mains at 207 V", "Alike: mains at 207 V and mains at 230 V")):
            runs.get_by_label("How the set stands").fill(label)
            runs.get_by_role("button", name="Sweep the oscillator on every band").click()
            expect(runs).to_contain_text(label)
            expect(runs).to_contain_text(seen)


class FrontEnd(Ways):
    def test_where_the_owner_listens_and_rocking_with_its_triples(self) -> None:
        job = self.brought_in("halvern-6b", "rocked")
        with self.live.workshop.store() as conn, transaction(conn):
            shelf.mark_phase(conn, job_id=job.id, phase="oscillator and dial", state="done", remark="", at_utc=job.opened_utc)
        bench = self.begin_by("generator", job=f"/jobs/{job.id}")
        self.on("Enter")
        self.type_reading("260.3k", "Found. Take it.")
        self.on("Enter")
        self.assertIn("where the set receives", bench.advice)
        self.page.get_by_label("Where its owner listens").fill("200 kHz")
        self.page.get_by_role("button", name="Show what that costs elsewhere").click()
        own = self.page.locator("[data-option=own]")
        expect(own).to_contain_text("Peak it for 200")
        expect(own.get_by_role("cell").last).to_have_text(re.compile(r"^0\.\d dB$"))
        rock = self.page.locator("[data-option=rock]")
        self.on(rock.locator(".key").inner_text())
        self.on("Enter")  # all is set
        self.assertIn("Rock the LW padder", bench.title)
        for level in ("100m", "121m", "150m", "131m", "110m"):
            self.type_reading(level, re.compile("crest", re.IGNORECASE))
        expect(self.page.locator("[data-part=advice]")).to_contain_text("Past the highest crest")
        self.type_reading("149m", "On the highest crest. Take it.")
        self.on("Enter")
        self.page.goto(re.sub(r"/bench/(\d+).*", r"/runs/\1/record", self.page.url))
        rocked = self.page.get_by_role("region", name="Rocking")
        expect(rocked.get_by_role("row")).to_have_count(7)
        expect(rocked.get_by_role("img")).to_be_visible()


if __name__ == "__main__":
    import unittest

    unittest.main()
