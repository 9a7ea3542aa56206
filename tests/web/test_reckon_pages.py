"""Every calculator's page, without its script: as it opens, and what it answers when another value is typed."""

import io
import re

import lxml.html
from lxml.html import HtmlElement

from calm_needle.core.reckon.answers import CALCULATORS
from tests.support.client import PageTest
from tests.support.recordings import tone


class EveryCalculator(PageTest):
    demo = False

    def answer(self, name: str, **form: object) -> HtmlElement:
        """What takes the place of the answer on the page."""
        said = self.client.post(f"/reckon/{name}", data={"csrf_token": self.token, **form}, headers={"X-Part": "answer"})
        self.assertEqual(said.status_code, 200, name)
        return lxml.html.fromstring(f"<main>{said.get_data(as_text=True)}</main>")

    def test_each_answers_what_is_typed_with_a_picture_and_its_derivation(self) -> None:
        self.assertGreaterEqual(len(CALCULATORS), 27)
        for name, calculator in CALCULATORS.items():
            with self.subTest(name):
                page = lxml.html.fromstring(self.get(f"/reckon/{name}").get_data(as_text=True))
                typed = {k.name: page.xpath(f"//*[@id='in-{k.name}']")[0].value or "" for k in calculator.keys if k.kind != "file"}
                before = self.answer(name, **typed)
                after = self.answer(name, **self.another(name, typed))
                self.assertNotEqual(after.text_content(), before.text_content())
                self.assertTrue(after.xpath("//*[@data-part='picture']//*[local-name()='svg']"))
                self.assertTrue(after.xpath("//table[@aria-label='Results']"))
                self.assertEqual(len(after.xpath("//*[@data-part='derivation']//li")), len(calculator.derivation))

    @staticmethod
    def another(name: str, typed: dict[str, str]) -> dict[str, object]:
        """The same with another value in one field that is filled; where nothing but a file is asked for, with a file."""
        for key in CALCULATORS[name].keys:
            if key.kind in ("number", "list") and (number := re.search(r"\d+(\.\d+)?", key.example)):
                return {**typed, key.name: key.example.replace(number[0], f"{float(number[0]) * 1.02 + 0.003:.6g}", 1)}
        return {**typed, "file": (io.BytesIO(tone()), "tone.wav")}
