"""The Stannard Seven: an open winding is wound anew by what the bench reads, and the set goes on to its certificate."""

import io
import re

from PIL import Image
from playwright.sync_api import expect

from tests.browser.pages.guided_page import GuidedPage
from tests.browser.pages.start_page import StartPage, keep_the_test, sweep
from tests.browser.test_every_page import violations
from tests.support.apprentice import Apprentice
from tests.support.browser import BrowserTest
from tests.support.to_certificate import begin, lead_through, mark_done, read_the_bands, see_to_the_parts, to_the_certificate

STANNARD = 6


class Rewinding(BrowserTest):
    """The Stannard Seven: an open winding is found, wound anew after its sister by what the bench reads, and the strip is heard again."""

    def expected_errors(self) -> tuple[str, ...]:
        return ("409 (CONFLICT)",)  # the page asks whether what is not yet sure is meant

    def test_a_winding_is_wound_anew_after_its_sister(self) -> None:
        page = self.page
        start = StartPage(page, STANNARD)
        start.climb_to_full()
        start.press("Electrodes too")
        self.assertRegex(start.rail("V4 anode"), r"−?0(\.\d+)?\s.?V, −100\.0")
        start.press("Switch it off")
        sweep(page, STANNARD, only=("IFT1-p", "IFT1-s", "IFT2-p", "IFT2-s"))
        expect(page.locator("#part-IFT2-p [data-verdict]")).to_contain_text("Open")

        guided = GuidedPage(page, STANNARD)
        self.assertIn("Wind a coil anew", " ".join(guided.offers()))
        guided.begin("Wind a coil anew")
        self.assertEqual(guided.value("ohm_found"), "open")  # the sweep knows it
        guided.keep(end_found="no")
        guided.keep("sister_l_h", "c_found_f", "f_found_hz")
        guided.keep(direction="clockwise", start_lead="tag 1", finish_lead="tag 2, red", carries_dc="yes")
        expect(page.get_by_role("status")).to_contain_text("Nothing irreversible before")
        address = page.url
        self.photograph("just the chassis", lead="")
        page.goto(address)
        self.assertIn("Before anything is cut", guided.stage)  # any picture will not do
        self.assertIn("pin a lead where the winding starts", guided.says)
        self.photograph("the can, opened", lead="start of the winding")
        page.goto(address)
        self.assertIn("Wire and turns", guided.stage)  # what was recorded stands, now that there is one
        guided.keep("sample_ohm", "mean_d_m", "width_m", "depth_m", sample_m="1 m")
        self.assertEqual(violations(page), [])
        self.assertRegex(guided.stages, r"Wind 7[78]\d turns")
        guided.keep(turns_wound="650")  # somebody lost count
        guided.keep("new_l_h", "new_ohm")
        expect(page.get_by_role("status").first).to_contain_text(re.compile(r"more than the adjuster takes up: put on \d+ turns"))
        page.get_by_role("link", name="Wind it").click()
        guided.keep(turns_wound="785")
        guided.keep("new_l_h", "new_ohm")
        guided.keep(as_before="yes")
        guided.done()

        page.goto(f"/jobs/{STANNARD}/repairs")
        expect(page.get_by_role("heading", name="Not yet tested: IFT2-p")).to_be_visible()
        page.goto(f"/jobs/{STANNARD}")
        expect(page.get_by_text("IFT2-p was wound anew: not tested yet")).to_be_visible()
        expect(page.get_by_role("region", name="Before alignment")).to_contain_text("safe start and health first")
        start = StartPage(page, STANNARD)
        start.climb_to_full()
        start.press("Electrodes too")
        self.assertIn("within", start.rail("V4 anode"))
        keep_the_test(page, STANNARD, "the anode of V4 is within its limits", "better")
        self.go_on_to_the_certificate(StartPage(page, STANNARD))

    def go_on_to_the_certificate(self, start: StartPage) -> None:
        page = self.page
        start.watch(10)
        start.press("The start is through")
        read_the_bands(page, STANNARD)
        see_to_the_parts(page, STANNARD)
        mark_done(page, STANNARD, "health")
        StartPage(page, STANNARD).climb_to_full()
        Apprentice(begin(page, STANNARD)).go_through()
        page.keyboard.press("Enter")
        page.wait_for_url("**/record")
        for _ in ("oscillator and dial", "front end"):
            lead_through(page, begin(page, STANNARD))
        text = to_the_certificate(self, self.live.workshop, page, STANNARD)
        for words in ("IFT2-p", "785", "clockwise"):
            self.assertIn(words, text)
        self.assertNotIn("Issued though", text)

    def photograph(self, caption: str, *, lead: str) -> None:
        picture = io.BytesIO()
        Image.new("RGB", (640, 400), (90, 80, 255 if lead else 0)).save(picture, "JPEG")
        page = self.page
        page.goto(f"/jobs/{STANNARD}/photographs")
        page.get_by_label("Pictures").set_input_files({"name": "can.jpg", "mimeType": "image/jpeg", "buffer": picture.getvalue()})
        page.get_by_label("What they show").fill(caption)
        page.get_by_role("button", name="Attach").click()
        if not lead:
            return
        page.get_by_role("link", name=re.compile(caption)).first.click()
        page.wait_for_load_state()  # pointing is the script's
        page.get_by_label("It marks").select_option("lead")
        page.locator("svg[data-point-x]").click(position={"x": 200, "y": 150})
        page.get_by_label("What is there").fill(lead)
        page.get_by_role("button", name="Add the pin").click()
        expect(page.get_by_role("region", name="Pins")).to_contain_text(lead)
        self.assertEqual(violations(page), [])


if __name__ == "__main__":
    import unittest

    unittest.main()
