import unittest

from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.judge import Moment, Move, Standing
from calm_needle.core.procedure.series import Seen
from calm_needle.store.runs import ReadingRow
from calm_needle.work.bench.visit_readings import VisitReadings
from tests.support import halvern


class Scripted:
    """A judge that says what it is told to: that it may be taken, at the reading numbered so, and not at all others."""

    def __init__(self, best_at: int) -> None:
        self.seen, self.best_at = 0, best_at

    def add(self, _: Seen) -> None:
        self.seen += 1

    def standing(self, _: Moment) -> Standing:
        return Standing("", Advice("calm", "eye", "", ""), Move("rest"), may_take=self.seen == self.best_at)


def row(number: int, *, at_s: float, value: float = 0.2, turns: float | None = 1.0, kind: str = "live") -> ReadingRow:
    at_utc = f"2026-11-25T10:00:{at_s:06.3f}Z"
    return ReadingRow(number, 1, kind, value, "V", 468e3, 320e-6, turns, 0, "meter", at_utc, None)


class TheHandThatAnswers(unittest.TestCase):
    def may_take_after(self, *later: ReadingRow) -> bool:
        """What a person's key finds after these readings, when the page had said «take it» at one before them."""
        step = next(s for s in halvern.model().groups[1].steps)
        visit = VisitReadings(halvern.model(), step, (), judge=Scripted(best_at=1))
        moment = Moment(0.0)

        def may_take() -> bool:
            return visit.standing(moment).may_take  # type: ignore[union-attr]

        visit.add(row(1, at_s=1.0, turns=None if later[0].turns is None else 1.0))
        self.assertTrue(may_take())
        for reading in later:
            visit.add(reading)
            self.assertFalse(may_take())
        return visit.standing_for_a_hand(moment).may_take  # type: ignore[union-attr]

    def test_what_was_just_said_holds_while_the_key_is_pressed(self) -> None:
        self.assertTrue(self.may_take_after(row(2, at_s=1.3), row(3, at_s=2.4)))
        self.assertTrue(self.may_take_after(row(2, at_s=1.3, turns=None, value=0.205)))

    def test_it_holds_no_longer_than_that_and_not_once_something_was_turned(self) -> None:
        self.assertFalse(self.may_take_after(row(2, at_s=2.6)))
        self.assertFalse(self.may_take_after(row(2, at_s=1.3, turns=1.05)))
        self.assertFalse(self.may_take_after(row(2, at_s=1.3, turns=None, value=0.23)))
        self.assertFalse(self.may_take_after(row(2, at_s=1.3, kind="typed")))
