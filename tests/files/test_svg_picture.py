"""Charts: their scales step by 1, 2 or 5 in the unit in which they are written."""

import itertools
import re
import unittest

from calm_needle.core.pictures import Curves, Line
from calm_needle.files.svg_picture import draw


class Scales(unittest.TestCase):
    def steps(self, x_to: float, x_unit: str, y_to: float, y_unit: str) -> tuple[set[float], set[float]]:
        """The steps between the figures along both axes."""
        text = draw(Curves("t", x_unit, y_unit, [Line("", [(0.0, 0.0), (x_to, y_to)])]))
        words = re.findall(r"<text ([^>]*)>([^<]+)</text>", text)
        out = []
        for anchor in ("middle", "end"):
            found = sorted(
                float(w.replace("−", "-")) for attributes, w in words if f'anchor="{anchor}"' in attributes and re.fullmatch(r"−?[\d.]+", w)
            )
            out.append({round(b - a, 9) for a, b in itertools.pairwise(found)})
        return out[0], out[1]

    def test_what_hardly_moves_has_figures_that_tell_its_ticks_apart(self) -> None:
        text = draw(Curves("t", "s", "V", [Line("", [(0.0, 244.3), (300.0, 244.1)])]))
        figures = re.findall(r'anchor="end"[^>]*>([\d.]+)<', text)
        self.assertGreater(len(figures), 2)
        self.assertEqual(len(set(figures)), len(figures), figures)

    def test_a_name_longer_than_the_margin_is_not_cut(self) -> None:
        text = draw(
            Curves("t", "s", "V", [Line("smoothed rail of it", [(0.0, 1.0), (300.0, 2.0)]), Line("short", [(0.0, 1.0), (9.0, 3.0)])])
        )
        self.assertRegex(text, r'anchor="end"[^>]*>smoothed rail of it<')
        self.assertRegex(text, r'anchor="start"[^>]*>short<')

    def test_minutes_step_by_round_minutes_and_not_by_round_seconds(self) -> None:
        for seconds in (310.0, 400.0, 600.0, 900.0, 3600.0):
            x, y = self.steps(seconds, "s", 7.0, "V")
            for step in x | y:
                leading = float(f"{step:.1e}".split("e")[0])
                self.assertIn(leading, (1.0, 2.0, 5.0), (seconds, x, y))
