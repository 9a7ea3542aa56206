"""Three jobs on which a person used to get stuck, each finished by what the bench reads."""

import re

from playwright.sync_api import expect

from tests.browser.pages.bench_page import BenchPage
from tests.browser.pages.guided_page import GuidedPage
from tests.browser.pages.start_page import change, sweep
from tests.browser.test_every_page import violations
from tests.support.browser import BrowserTest

BOAT_HOUSE, STANNARD = 4, 6


class AnOpenCapacitorInsideACan(BrowserTest):
    """A core that hardly answered at the bench, through guided work that knows what the bench knows, to a capacitor fitted outside."""

    def test_what_the_bench_found_opens_the_work_with_it_filled_in(self) -> None:
        page = self.page
        page.goto(f"/jobs/{BOAT_HOUSE}")
        page.get_by_text("Waive it, with a reason").click()
        page.get_by_label("Why; it stands in the record").fill("Only to find what does not peak.")
        page.get_by_role("button", name="Waive it").click()
        page.get_by_role("button", name="Begin at the bench").click()
        self.find_no_peak()
        guided = GuidedPage(page, BOAT_HOUSE)
        self.assertEqual(violations(page), [])
        self.assertIn("A transformer that hardly answers", guided.offers()[0])
        expect(page.get_by_text(re.compile("core of IFT2 changed the reading by"))).not_to_have_count(0)
        guided.begin("A transformer that hardly answers")
        expect(page.get_by_text(re.compile("IFT2 primary, after its sister"))).to_be_visible()
        expect(page.get_by_text(re.compile("From the bench"))).to_have_count(2)
        guided.keep()
        guided.keep("ohm_here", "ohm_sister", "l_min_h", "l_max_h")
        guided.keep("dip_db", "dip_across_db", across_f="100p")
        self.assertIn("the one inside is open", guided.stages)
        guided.keep()
        guided.keep(c_measured_f="110p")
        page.get_by_role("link", name="Is there a dip?").click()
        expect(page.locator("figure svg")).to_have_count(2)  # both scans, with and without, are still there
        self.assertEqual(violations(page), [])
        page.get_by_role("link", name="Where the peak lies").click()
        guided.keep("peak_percent")
        guided.done()
        page.goto(f"/jobs/{BOAT_HOUSE}")
        expect(page.get_by_text("IFT2-p was mended: not tested yet")).to_be_visible()
        expect(page.get_by_text("guided work “A transformer that hardly answers”")).to_have_count(0)  # it was mended since

    def find_no_peak(self) -> None:
        """Turn the upper core of IFT2 over its travel, and say that it has no peak."""
        page = self.page
        bench = BenchPage(page)
        bench.wait_until_ready()
        bench.press("u")
        bench.wait_for_links()
        bench.press_and_wait_for("Enter", "Measure the IF strip as found")
        bench.wait_for_reading_after(0)
        bench.press_and_wait_for("t", "Peak the lower core of IFT2")
        bench.leave_out_until("Peak the upper core of IFT2")
        bench.wait_for_reading_after(0)
        for _ in range(30):  # a turn and a half: over less, what the needle does by itself would count as an answer
            bench.turn(1)
        bench.press("x")
        expect(page.get_by_role("heading", level=1)).not_to_have_text("Peak the upper core of IFT2")
        expect(page.get_by_role("link", name="no peak: find out why")).to_be_visible()


class AnOpenAerialCoilAmongDriftedResistors(BrowserTest):
    def test_it_is_spliced_by_what_the_meter_says(self) -> None:
        page = self.page
        sweep(page, BOAT_HOUSE, only=("R4", "L5"))
        expect(page.locator("#part-L5 [data-verdict]")).to_contain_text("Open")
        change(page, BOAT_HOUSE, "R4", "V2 screen 84 V, was 41 V", "better")
        guided = GuidedPage(page, BOAT_HOUSE)
        self.assertRegex(guided.offers()[0], "A fine wire spliced: .*long-wave aerial coil")
        guided.begin("A fine wire spliced")
        guided.keep(bridge_m="0.1 mm", place="at the tag", tries="0")
        self.assertIn("Not tried yet", guided.says)
        self.assertEqual(page.locator("#a-tries").input_value(), "0")
        guided.keep(bridge_m="0.1 mm", place="at the tag", tries="2")
        self.assertIn("Does it carry?", guided.stage)
        guided.keep("ohm_after", ohm_sister="28")
        expect(page.get_by_role("status").first).to_contain_text("It holds, and has its sister’s ohms")
        guided.done()
        page.goto(f"/jobs/{BOAT_HOUSE}/parts")
        expect(page.locator("#part-L5 [data-verdict]")).to_have_attribute("data-verdict", "in")  # by the reading that proved it
        page.goto(f"/jobs/{BOAT_HOUSE}/bands")
        page.get_by_role("button", name="Read the aerial coils").click()
        expect(page.get_by_label("long wave, aerial coil")).to_have_value(re.compile(r"^2[678]"))
