"""What stands on a paper: cells, and every sign that people write, or a visible stand-in for it."""

import io
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from pypdf import PdfReader

from calm_needle.clock import from_text
from calm_needle.core.chapters import Chapter, Lines, Table
from calm_needle.core.procedure.report import Amount, Row
from calm_needle.files.pdf.document import Head, cell_words, label, write
from calm_needle.files.pdf.signs import STAND_IN, lacking, plain
from tests.support.properties import steady

AT = from_text("2026-11-26T10:00:00.000Z")


def text_of(pdf: bytes) -> str:
    return " ".join(" ".join(page.extract_text() for page in PdfReader(io.BytesIO(pdf)).pages).split())


class Cells(unittest.TestCase):
    def test_what_was_not_measured_says_so_and_figures_bear_their_unit(self) -> None:
        self.assertEqual(cell_words(None), "not measured")
        self.assertEqual(cell_words("by ear"), "by ear")
        self.assertEqual(cell_words(Amount(12.5e-6, "V")), "12.5\u2009µV")
        self.assertEqual(cell_words(Amount(468123.0, "Hz")), "468.1\u2009kHz")


class Signs(unittest.TestCase):
    def paper(self, words: str) -> str:
        chapters = [Chapter("a", "Parts", (Lines("Seen", (words,)), Table("Table", (words,), (Row(words, (words,)),))))]
        return text_of(write(Head("Record", words, (words,), words), chapters, at=AT))

    def test_other_alphabets_and_signs_are_printed(self) -> None:
        for words in ("Łódź, Žižkov", "приёмник Юрия", "Ελληνικά", "R7 ≥ 3 → ☎ ✓"):
            self.assertFalse(lacking(words), words)
            self.assertIn(words, self.paper(words).replace("\u00a0", " "))

    def test_a_hyphen_that_does_not_break_a_tab_and_signs_without_width_are_what_they_look_like(self) -> None:
        self.assertEqual(plain("non\u2011break\tone\u2028two\x00\x07"), "non-break one two")
        self.assertIn("non-break", self.paper("non\u2011break"))

    def test_what_no_face_has_is_a_box_and_where_it_stands_is_said(self) -> None:
        text = self.paper("日本 radio")
        self.assertIn(f"{STAND_IN}{STAND_IN} radio", text)
        self.assertIn("stands for a sign that these fonts do not have: the heading; Parts, Seen; Parts,", text)
        self.assertNotIn("stands for", self.paper("radio"))

    @settings(parent=steady, max_examples=25)
    @given(st.text(max_size=40))
    def test_whatever_somebody_wrote_a_paper_is_made(self, words: str) -> None:
        self.assertTrue(
            write(Head(words, words, (words,), words), [Chapter("a", words, (Lines(words, (words,)),))], at=AT).startswith(b"%PDF")
        )

    def test_a_label_too(self) -> None:
        qr = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1 1"><path d="M0 0h1v1z"/></svg>'
        self.assertIn("радио", text_of(label("радио 日本", ("\u2011",), qr_svg=qr, at=AT)))
