"""The calculators' pages: from what is typed to picture and result, live; filled in from a job; sent into it; files in and out."""

import re
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from calm_needle.core.physics.response import pair_levels_db
from calm_needle.core.reckon.answers import CALCULATORS, answer_text
from tests.browser.test_every_page import violations
from tests.support.browser import BrowserTest
from tests.support.recordings import tone


def swept() -> bytes:
    f = np.linspace(456e3, 480e3, 61)
    db = pair_levels_db(f, f1_hz=466e3, q1=80.0, f2_hz=470e3, q2=70.0, kappa=0.8) - 12.0
    return (
        ("frequency (kHz);level (dB)\n" + "\n".join(f"{a / 1e3:.2f};{b:.3f}" for a, b in zip(f, db, strict=True)))
        .replace(".", ",")
        .encode()
    )


class EachKindOfPicture(BrowserTest):
    """One calculator of each kind: that each of them answers, and how, is told by tests/web/test_reckon_pages.py."""

    def test_it_follows_what_is_typed(self) -> None:
        page = self.page
        seen: set[str] = set()
        for name in CALCULATORS:
            if (kind := self.kind_of_picture(name)) in seen:
                continue
            seen.add(kind)
            with self.subTest(name):
                page.goto(f"/reckon/{name}")
                if name == "sinad":
                    self.assertIn("Still wanted", page.get_by_role("region", name="Answer").inner_text())
                    page.get_by_label("Recording (WAV)").set_input_files({"name": "tone.wav", "mimeType": "audio/wav", "buffer": tone()})
                    expect(page.locator("[data-part=sentence]")).to_contain_text("SINAD is 40")
                else:
                    self.change_one(page, name)
                expect(page.locator("[data-part=picture] svg").first).to_be_visible()
                page.get_by_text("How it comes about").click()
                expect(page.locator("[data-part=derivation] li").first).to_be_visible()
                page.emulate_media(color_scheme="dark" if len(seen) % 2 else "light")
                self.assertEqual(violations(page), [], name)
        self.assertGreaterEqual(len(seen), 5)

    @staticmethod
    def kind_of_picture(name: str) -> str:
        if name == "sinad":
            return name
        calculator = CALCULATORS[name]
        answer = answer_text(name, {k.name: k.example for k in calculator.keys if k.example})
        return type(calculator.picture(answer.inputs, answer.results)).__name__

    def change_one(self, page: Page, name: str) -> None:
        """Type another value into a field that is filled, and see the answer follow."""
        before = page.locator("[data-part=answer] table").inner_text()
        key = next(k for k in CALCULATORS[name].keys if k.kind in ("number", "list") and k.example)
        number = re.search(r"\d+(\.\d+)?", key.example)
        assert number
        changed = key.example.replace(number[0], f"{float(number[0]) * 1.02 + 0.003:.6g}", 1)
        answered = self.answered(page)
        page.locator(f"#in-{key.name}").fill(changed)
        page.wait_for_function("n => Number(document.documentElement.dataset.answered || 0) > n", arg=answered)
        self.assertNotEqual(page.locator("[data-part=answer]").inner_text(), before)

    @staticmethod
    def answered(page: Page) -> int:
        return int(page.evaluate("() => Number(document.documentElement.dataset.answered || 0)"))


class AtTheBench(BrowserTest):
    def test_the_dossier_fills_in_and_the_result_goes_to_the_job(self) -> None:
        page = self.page
        page.goto("/reckon")
        page.get_by_role("link", name="Three-point tracking").click()
        page.get_by_label("Fill in from").select_option(label="Medium wave, job 2: Halvern 6B no. 20318")
        page.get_by_role("button", name="Fill in").click()
        expect(page.get_by_label(re.compile("^Signal coil"))).to_have_value("174.5\u2009µH")
        expect(page.locator("[data-filled=l_rf_h]")).to_have_text("from the dossier")
        page.get_by_role("button", name="To the job, as a finding").click()
        page.wait_for_url("**/jobs/2#reckoned")
        expect(page.get_by_role("region", name="Reckoned")).to_contain_text("padder 508.9")

    def test_without_a_job_it_says_which_to_choose_and_keeps_what_was_typed(self) -> None:
        page = self.page
        page.goto("/reckon/gain")
        page.get_by_label("From", exact=True).fill("77 mV")
        page.get_by_role("button", name="as a reading").click()
        expect(page.get_by_role("alert")).to_contain_text("Choose the job it belongs to first")
        expect(page.get_by_label("From", exact=True)).to_have_value("77 mV")

    def test_readings_of_the_job_fill_in_too(self) -> None:
        self.page.goto("/reckon/gain?from=1:MW")
        expect(self.page.locator("[data-filled=from_v]")).to_contain_text("first reading of run 1")

    def test_a_quantity_that_cannot_be_meant_is_asked_about_and_the_likely_one_taken(self) -> None:
        page = self.page
        page.goto("/reckon/frequency-plan")
        page.get_by_label("Intermediate frequency").fill("455 MHz")
        button = page.get_by_role("button", name=re.compile("455.kHz was meant"))
        button.click()
        expect(page.get_by_label("Intermediate frequency")).to_have_value("455\u2009kHz")
        expect(button).to_have_count(0)
        expect(page.locator("[data-part=sentence]")).to_contain_text("1.85500\u2009MHz")

    def test_what_cannot_be_read_is_said_and_the_field_marked(self) -> None:
        page = self.page
        page.goto("/reckon/resonance")
        page.get_by_label(re.compile("^Capacitance")).fill("12x pF")
        expect(page.locator("[data-fault=c_f]")).to_contain_text("is not in F")
        expect(page.get_by_label(re.compile("^Capacitance"))).to_have_attribute("aria-invalid", "")
        page.get_by_label(re.compile("^Capacitance")).fill("120 pF")
        expect(page.locator("[data-part=sentence]")).to_contain_text("963.8")

    def test_a_measured_response_is_fitted_shown_and_saved(self) -> None:
        page = self.page
        page.goto("/reckon/coupled-pair")
        page.get_by_label("Fit a measured response").set_input_files({"name": "as-found.csv", "mimeType": "text/csv", "buffer": swept()})
        page.get_by_role("button", name="Read the file and reckon").click()
        expect(page.get_by_role("status").filter(has_text="61 points")).to_be_visible()
        fitted = [float(page.get_by_label("circuit tuned to").nth(i).input_value().split("\u2009")[0]) for i in (0, 1)]
        self.assertAlmostEqual(sum(fitted) / 2.0, 468.0, delta=0.1)
        self.assertLess(fitted[0], fitted[1] - 2.0)
        files = (("CSV", "response.csv", "frequency (Hz)"), (".s2p", "response.s2p", "# "), ("SVG", "coupled-pair.svg", "measured"))
        for name, ending, words in files:
            with page.expect_download() as download:
                page.get_by_role("button", name=name, exact=True).click()
            self.assertEqual(download.value.suggested_filename, ending)
            self.assertIn(words, Path(download.value.path()).read_text(encoding="utf-8"))

    def test_a_file_that_is_no_response_is_refused_by_its_rows(self) -> None:
        page = self.page
        page.goto("/reckon/coupled-pair")
        page.get_by_label("Fit a measured response").set_input_files(
            {"name": "x.csv", "mimeType": "text/csv", "buffer": b"f (kHz);dB\n1;x\n"}
        )
        page.get_by_role("button", name="Read the file and reckon").click()
        expect(page.get_by_role("alert")).to_contain_text("row 1")

    def test_it_works_without_script(self) -> None:
        context = self.page.context.browser.new_context(base_url=self.live.url, java_script_enabled=False)  # type: ignore[union-attr]
        self.addCleanup(context.close)
        page = context.new_page()
        page.goto("/reckon/gain")
        page.get_by_label("To", exact=True).fill("880 mV")
        page.get_by_role("button", name="Reckon").click()
        expect(page.locator("[data-part=sentence]")).to_contain_text("is +20 dB".replace(" dB", "\u2009dB"))

    def expected_errors(self) -> tuple[str, ...]:
        return ("status of 422",)
