"""The swept response on the record: shapes, each from its own top, and how far one lay below the other."""

import unittest

from calm_needle.core.procedure.report import Curve, Section
from calm_needle.store.runs import RunRow
from calm_needle.store.shelf import JobRow
from calm_needle.work.record.run_record import SHAPE_DB, Record, response_picture


class Shapes(unittest.TestCase):
    def test_a_strip_that_was_far_down_as_found_is_still_a_shape(self) -> None:
        run = RunRow(1, 1, 1, "intermediate frequency", "typed", "2026-11-26T08:00:00Z")
        job = JobRow(1, 1, "", "typed", "2026-11-26T08:00:00Z", "1", "", 1, "Halvern 6B", "halvern-6b", 1)
        points = ((455e3, -80.0), (460e3, -46.0), (465e3, -90.0))
        curves = (Curve("before", points, "Hz", "dB", ()), Curve("after", tuple((f, v + 40.0) for f, v in points), "Hz", "dB", ()))
        record = Record(run=run, job=job, finished=True, by_hand=True, lines=[], sections=[Section("response", curves=curves)])
        picture = response_picture(record)
        assert picture
        before, after = picture.lines
        self.assertEqual([v for _, v in before.points], [-SHAPE_DB, 0.0, -SHAPE_DB])
        self.assertEqual(before.points, after.points)
        self.assertEqual((before.name, after.name), ("before, −40\u00a0dB", "after"))
