import unittest
from dataclasses import replace
from typing import Any

from calm_needle.core.procedure.watch.peak_watch import PeakWatch, Verdict
from calm_needle.store.runs import ReadingRow
from calm_needle.work.bench.visit_readings import VisitReadings


class Scripted:
    """A watch that says what it is told to: the crest at the reading numbered so, and something else at all others."""

    def __init__(self, crest_at: int) -> None:
        self.seen, self.crest_at = 0, crest_at
        self.usual = PeakWatch().verdict()

    def add(self, **_: Any) -> None:
        self.seen += 1

    def verdict(self) -> Verdict:
        return replace(self.usual, kind="crest") if self.seen == self.crest_at else self.usual


def row(number: int, *, at_s: float, value: float = 0.2, turns: float | None = 1.0, kind: str = "live") -> ReadingRow:
    at_utc = f"2026-11-25T10:00:{at_s:06.3f}Z"
    return ReadingRow(number, 1, kind, value, "V", 468e3, 320e-6, turns, 0, "meter", at_utc, None)


class TheHandThatAnswers(unittest.TestCase):
    def kind_after(self, *later: ReadingRow) -> str:
        """What a person's key finds after these readings, when the page had said «take it» at one before them."""
        visit = VisitReadings(None, ())
        visit._watch = Scripted(crest_at=1)  # type: ignore[assignment]
        visit.add(row(1, at_s=1.0, turns=None if later[0].turns is None else 1.0))
        self.assertEqual(visit.verdict.kind, "crest")
        for reading in later:
            visit.add(reading)
            self.assertNotEqual(visit.verdict.kind, "crest")
        return visit.verdict_for_a_hand().kind

    def test_what_was_just_said_holds_while_the_key_is_pressed(self) -> None:
        self.assertEqual(self.kind_after(row(2, at_s=1.3), row(3, at_s=2.4)), "crest")
        self.assertEqual(self.kind_after(row(2, at_s=1.3, turns=None, value=0.205)), "crest")

    def test_it_holds_no_longer_than_that_and_not_once_something_was_turned(self) -> None:
        self.assertNotEqual(self.kind_after(row(2, at_s=2.6)), "crest")
        self.assertNotEqual(self.kind_after(row(2, at_s=1.3, turns=1.05)), "crest")
        self.assertNotEqual(self.kind_after(row(2, at_s=1.3, turns=None, value=0.23)), "crest")
        self.assertNotEqual(self.kind_after(row(2, at_s=1.3, kind="typed")), "crest")
