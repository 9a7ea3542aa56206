"""What stands in the cells of a paper."""

import unittest

from calm_needle.core.procedure.report import Amount
from calm_needle.files.pdf.document import cell_words


class Cells(unittest.TestCase):
    def test_what_was_not_measured_says_so_and_figures_bear_their_unit(self) -> None:
        self.assertEqual(cell_words(None), "not measured")
        self.assertEqual(cell_words("by ear"), "by ear")
        self.assertEqual(cell_words(Amount(12.5e-6, "V")), "12.5\u2009µV")
        self.assertEqual(cell_words(Amount(468123.0, "Hz")), "468.1\u2009kHz")
