"""The Stannard Seven: an open winding is wound anew by what the bench reads, and the set goes on to its certificate."""

import io
import re

from PIL import Image

from tests.support.guided import Guided
from tests.support.to_certificate import ToTheCertificate

STANNARD = 6


class Rewinding(ToTheCertificate):
    """An open winding is found, wound anew after its sister by what the bench reads, and the strip is heard again."""

    job_id = STANNARD

    def rail(self, name: str) -> str:
        page = self.page("start")
        row = next(r for r in page.doc.xpath("//tr") if name in r.text_content())
        return " ".join(row.text_content().split())

    def test_a_winding_is_wound_anew_after_its_sister(self) -> None:
        self.climb_to_full()
        self.page("start").press("Electrodes too")
        self.assertRegex(self.rail("V4 anode"), r"−?0(\.\d+)?\s.?V, −100\.0")
        self.switch_off()
        page = self.sweep("IFT1-p", "IFT1-s", "IFT2-p", "IFT2-s")
        self.assertRegex(page.doc.xpath("//*[@id='part-IFT2-p']")[0].text_content(), "Open")

        guided = Guided(self)
        self.assertIn("Wind a coil anew", " ".join(guided.offers))
        guided.begin("Wind a coil anew")
        self.assertEqual(guided.value("ohm_found"), "open")  # the sweep knows it
        guided.keep(end_found="no")
        guided.keep("sister_l_h", "c_found_f", "f_found_hz")
        guided.keep(direction="clockwise", start_lead="tag 1", finish_lead="tag 2, red", carries_dc="yes")
        self.assertIn("Nothing irreversible before", guided.page.says)
        address = guided.page.path
        self.photograph("just the chassis", lead="")
        guided.page.open(address)
        self.assertIn("Before anything is cut", guided.stage)  # any picture will not do
        self.assertIn("pin a lead where the winding starts", guided.page.says)
        self.photograph("the can, opened", lead="start of the winding")
        guided.page.open(address)
        self.assertIn("Wire and turns", guided.stage)  # what was recorded stands, now that there is one
        guided.keep("sample_ohm", "mean_d_m", "width_m", "depth_m", sample_m="1 m")
        self.assertRegex(guided.stages, r"Wind 7[78]\d turns")
        guided.keep(turns_wound="650")  # somebody lost count
        guided.keep("new_l_h", "new_ohm")
        self.assertRegex(guided.page.says, r"more than the adjuster takes up: put on \d+ turns")
        guided.go_to("Wind it")
        guided.keep(turns_wound="785")
        guided.keep("new_l_h", "new_ohm")
        guided.keep(as_before="yes")
        guided.done()

        self.assertIn("Not yet tested: IFT2-p", self.page("repairs").text)
        self.assertIn("IFT2-p wound anew: not tested.", self.page().text)
        self.assertIn("safe start and health first", self.page().text)
        self.climb_to_full()
        self.page("start").press("Electrodes too")
        self.assertIn("within", self.rail("V4 anode"))
        self.keep_the_test("the anode of V4 is within its limits")

        self.watch(10).press("The start is through")
        self.read_the_bands()
        self.see_to_the_parts()
        self.mark_done("health")
        self.climb_to_full()
        self.through_the_if()
        for phase in ("oscillator and dial", "front end"):
            self.lead_through(phase)
        text = self.to_the_certificate()
        for words in ("IFT2-p", "785", "clockwise"):
            self.assertIn(words, text)
        self.assertNotIn("Issued though", text)

    def photograph(self, caption: str, *, lead: str) -> None:
        picture = io.BytesIO()
        Image.new("RGB", (640, 400), (90, 80, 255 if lead else 0)).save(picture, "JPEG")
        path = f"/jobs/{STANNARD}/photographs"
        self.post(path, picture=(io.BytesIO(picture.getvalue()), "can.jpg"), caption=caption)
        numbers = re.findall(rf"{path}/(\d+)(?=\")", self.get(path).get_data(as_text=True))
        if lead:
            answer = self.post(f"{path}/{max(map(int, numbers))}/pins", kind="lead", label=lead, x="0.4", y="0.5")
            self.assertEqual(answer.status_code, 303, answer.get_data(as_text=True)[:300])
