"""A set that no dossier describes, from the shelf to a record: sketched, its parts added as they are met, aligned."""

from tests.support.apprentice import Apprentice
from tests.support.pages import Pages
from tests.support.to_certificate import ToTheCertificate


class WithoutPapers(ToTheCertificate):
    def test_from_a_box_to_a_record_on_a_practice_set_made_from_the_sketch(self) -> None:
        page = self.sketch()
        self.assertIn("Typical, not from papers:", page.text)
        page.open("/").press("^Open it", model="petrel-4", serial="7", complaint="Came in a box.", bench="instruments")
        self.job_id = int(page.path.rsplit("/", 1)[1])
        self.mark_done("intake")
        self.look_up_the_rail_and_start()
        for part in ("R7 470k", "C4 10n", "IFT1-p 7", "IFT1-s 7"):
            page = self.page("parts")
            (form,) = page.doc.xpath("//form[contains(@action, '/parts/add')]")
            page.send(form, part=part, region="IF strip")
            self.assertTrue(page.doc.xpath(f"//*[@id='part-{part.split()[0]}']"), page.says)
        self.assertIn("All 4 parts are sound", self.sweep().says)
        role, kind = "signal circuit, high end of medium wave", "trimmer"
        page = self.page("map").press("Mark it", own="X1", kind=kind, role=role, x_mm="250", y_mm="60")
        self.assertEqual(page.status, 200, page.says)
        self.assertIn("X1", " ".join(self.page("map").part("Found, and beside what").text_content().split()))
        self.hear_the_bands()
        self.mark_done("health")
        bench = self.begin(self.job_id)
        Apprentice(bench).go_through()
        truth = self.workshop.live.truth()
        assert truth is not None
        self.assertLess(abs(truth.peak_hz - 465e3), 1500.0)  # one pair, whose top is flat
        self.assertLess(truth.loss_db - truth.best_loss_db, 0.6)
        bench.press("Enter")
        self.assertIn("In figures", Pages(self).open(f"/runs/{bench.run_id}/record").text)
        self.assertIn(
            "adjuster X1: signal circuit, high end of medium wave",
            " ".join(self.page("dossier").part("Versions").text_content().split()),
        )

    def sketch(self) -> Pages:
        asked = {"name": "Petrel 4", "safety_class": "live chassis", "if_hz": "465k", "bands": "530k-1600k medium wave"}
        return Pages(self).open("/").press("Sketch it", **asked, transformers="1", low_end="padder")

    def look_up_the_rail_and_start(self) -> None:
        page = self.page("start")
        (form, *_) = page.doc.xpath("//form[contains(@action, '/start/expected')]")
        page.send(form, expected="230", source="a sister model’s papers")
        self.assertIn("unverified", self.climb("first").text)
        self.climb("next")
        self.climb("next")
        page = self.watch(10)
        self.assertIn("Rails right and settled, warm", page.says)
        self.assertIn("confirmed here", page.text)
        page.press("The start is through")
        self.switch_off()

    def hear_the_bands(self) -> None:
        page = self.page("bands")
        self.assertIn("meter it by hand", page.text)
        (coil,) = page.doc.xpath("//input[contains(@name, 'coil')]/@name")
        page.press("Keep it", **{str(coil).replace("-", "__"): "4.2"})
        self.climb_to_full()
        self.assertIn("Every band is alive", self.page("bands").press("Read medium wave").says)
