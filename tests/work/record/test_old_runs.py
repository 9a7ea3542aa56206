import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar

from calm_needle.core.procedure.plan import plan_data, read_plan
from calm_needle.core.procedure.report import Amount, section
from calm_needle.core.procedure.run import RunState, fold
from calm_needle.web.screens.record.wording import shown
from calm_needle.work.record import run_record
from calm_needle.work.workshop import Workshop
from tests.support.old_folder import unpack

OLD = "schema-15"
NAMED_SINCE = ("step_id", "round", "group_id", "visit")  # what acts name now and did not then


def _words(amount: Amount | None) -> str:
    return shown(amount) if amount else ""


class RunsRecordedBefore(unittest.TestCase):
    """A data folder of the version before runs kept their plan: every run is where it was, with the same record and readings."""

    said: ClassVar[dict[int, dict[str, Any]]]
    workshop: ClassVar[Workshop]

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.said = unpack(OLD, Path(folder.name))
        cls.workshop = Workshop(Path(folder.name))
        cls.addClassCleanup(cls.workshop.close)

    def test_each_is_where_it_was(self) -> None:
        for run_id, account in self.said.items():
            with self.subTest(run=run_id), self.workshop.desk(run_id).book() as book:
                was, state = account["state"], book.state
                self.assertEqual(state.stage, was["stage"])
                self.assertEqual(state.step.id if state.step else None, was["step"])
                self.assertEqual(state.visit.id if state.visit else None, was["visit"])
                if state.place is not None:
                    self.assertEqual((state.place.group_id, state.place.round), (was["group"], was["round"]))
                self.assertEqual((state.level_v, list(state.waxed_cleared)), (was["level_v"], was["waxed_cleared"]))
                self.assertEqual(len(book.seen.watched), was["seen"])
                self.assertEqual(list(book.seen.series.now() or ()), was["now"] or [])
                self.assertEqual(book.seen.series.start(), was["start_db"])
                book.standing()  # may be judged better by now, and is judged

    def test_each_visit_came_to_what_it_came_to(self) -> None:
        for run_id, account in self.said.items():
            with self.subTest(run=run_id), self.workshop.desk(run_id).book() as book:
                now = [
                    {
                        "id": v.id,
                        "step": v.step_id,
                        "round": v.place.round,
                        "outcome": v.outcome,
                        "superseded": v.superseded,
                        "detail": {k: value for k, value in v.detail.items() if k not in NAMED_SINCE},
                    }
                    for v in sorted(book.state.visits, key=lambda v: v.id)
                ]
                self.assertEqual(now, account["state"]["visits"])
                told = [{k: d[k] for k in ("sentence", "evidence", "advised", "go_on", "round")} for d in book.state.decisions]
                self.assertEqual(told, [{k: d[k] for k in told[0]} for d in account["state"]["decisions"]] if told else [])

    def test_each_has_its_readings(self) -> None:
        for run_id, account in self.said.items():
            with self.subTest(run=run_id):
                rows = run_record.readings_of_run(self.workshop, run_id)
                self.assertEqual(len(rows), account["readings"])
                for there, was in zip([*rows[:3], *rows[-3:]], account["first_readings"] + account["last_readings"], strict=False):
                    self.assertEqual({k: v for k, v in there._asdict().items() if k in was}, was)

    def test_each_has_its_record(self) -> None:
        for run_id, account in self.said.items():
            with self.subTest(run=run_id):
                was, record = account["record"], run_record.record_of(self.workshop, run_id)
                worded = [(x.round, x.name, x.outcome, _words(x.gained), _words(x.turned), x.words) for x in record.lines]
                kept = ("round", "name", "outcome", "gain", "turns", "words")
                # It was worded with a minus before nothing.
                before = [tuple("+0.00" if x[k] == "−0.00" else x[k] for k in kept) for x in was["lines"]]
                self.assertEqual(worded, before)
                self.assertEqual((record.finished, record.decisions), (was["finished"], was["decisions"]))
                self.assertEqual(_words(record.gain) or None, was["gain"])
                self.assertEqual([f.sentence for f in record.findings], [f["sentence"] for f in was["findings"]])
                figures = section(record.sections, "before and after")
                for i, end in enumerate(("before", "after")):
                    now = [shown(row.cells[i]) for row in figures.rows if i < len(row.cells)] if figures else []
                    self.assertEqual(now, [was[end][k] for k in ("reading", "level", "peak", "centre", "width")] if was[end] else [])
                self.assertEqual(record.left_out, was["left_out"])

    def test_the_acts_themselves_fit_only_the_plan_that_was_kept(self) -> None:
        # What the dossier would give today may be longer; the old acts still belong to the steps that they were meant for.
        for run_id in self.said:
            with self.workshop.desk(run_id).book() as book:
                today = read_plan(plan_data(book.model, book.run.phase))
                self.assertEqual([s.title for s in book.plan.steps], [s.title for s in today.steps][: len(book.plan.steps)])
                self.assertIsInstance(fold(book.plan, ()), RunState)
