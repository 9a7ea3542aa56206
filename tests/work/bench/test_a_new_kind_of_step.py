"""A kind of step made up here, in one file: everything that leads, shows, records and rehearses steps knows it at once."""

import json
import tempfile
import unittest
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.advice import Advice
from calm_needle.core.procedure.figure import Figure
from calm_needle.core.procedure.judge import Context, Marks, Moment, Move, Standing
from calm_needle.core.procedure.kinds.kind import Offer, StepKind
from calm_needle.core.procedure.kinds.table import KINDS, register
from calm_needle.core.procedure.series import Seen
from calm_needle.core.quantities import Quantity
from calm_needle.errors import FileRefused
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.store import shelf
from calm_needle.work.bench import bench_view
from calm_needle.work.bench.rehearsal import rehearse
from calm_needle.work.bench.run_book import RunBook, begin_run
from calm_needle.work.jobs import shelf as shelf_work
from calm_needle.work.record import run_record
from calm_needle.work.workshop import Workshop
from tests.support import halvern


class CountJudge:
    """Wants so many readings, and gives their mean."""

    def __init__(self, step: Step, context: Context) -> None:
        self._series, self._wanted = context.series, step.aim["count"]

    def add(self, seen: Seen) -> None:
        pass

    def standing(self, moment: Moment) -> Standing:
        values = [r.value for r in self._series.watched]
        left = self._wanted - len(values)
        if left > 0:
            advice = Advice("calm", "measure", f"Read {left} more.", "Many readings, one mean.")
            return Standing("counting", advice, Move("read"), refusal=f"{left} readings are wanting.", marks=Marks(low=0.0, high=1.0))
        mean = sum(values) / len(values)
        advice = Advice("good", "crest", "Enough read. Take it.", f"{len(values)} readings.")
        return Standing("counted", advice, Move("rest"), may_take=True, figure=Figure(mean, None, "V"), detail={"mean": mean})


def offers(step: Step) -> tuple[Offer, ...]:
    return (Offer("mark", "Count this one", "C"),)


def report(detail: Mapping[str, Any]) -> str:
    return f"the mean of many, {detail['mean']:.3f} V"


COUNT = StepKind("count", "Count", CountJudge, "inspect", reads="value", needs=("indicator", "aim.count"), offers=offers, report=report)


class AKindMadeUpHere(unittest.TestCase):
    def setUp(self) -> None:
        register(COUNT)
        self.addCleanup(KINDS.pop, "count")
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.workshop = Workshop(Path(folder.name))
        self.addCleanup(self.workshop.close)
        self.clock = halvern.clock()

    def data(self) -> dict[str, Any]:
        data = halvern.data()
        group = next(g for g in data["procedure"] if g["id"] == "if-cores")
        step = {"id": "many", "kind": "count", "adjusters": [], "aim": {"count": 3}, "why": "to be sure", "hazards": []}
        return {
            **data,
            "procedure": [{"id": "counting", "phase": group["phase"], "title": "Counting", "set": group["set"], "steps": [step]}],
        }

    def begin(self) -> RunBook:
        data = self.data()
        with self.workshop.store() as conn:
            shelf_work.take_in_dossier(conn, json.dumps(data).encode(), name="counting.json")
            model = shelf.model_by_key(conn, data["key"])
            assert model is not None
            set_id = shelf.add_set(conn, model_id=model.id, serial="1", owner="", remarks="", at_utc=self.clock())
            job_id = shelf.add_job(conn, set_id=set_id, complaint="weak", bench="typed", at_utc=self.clock())
            run_id = begin_run(conn, job_id=job_id, phase="intermediate frequency", at_utc=self.clock())
            self.conn = conn
        return RunBook(self.conn, run_id, clock=self.clock)

    def test_set_up_judgement_advice_needle_and_record(self) -> None:
        book = self.begin()
        page = bench_view.page(book, None, None)
        self.assertEqual(page["subtitle"], "For: count.")
        self.assertIn("Level", [row["label"] for row in page["set_up"]])
        book.set_everything()
        for value in (0.2, 0.3):
            self.clock.go(2.0)
            book.add_reading(Quantity(value, "V"), kind="typed", instrument="read by eye")
        with self.assertRaisesRegex(Exception, "1 readings are wanting"):
            book.take(sure=True)
        self.clock.go(2.0)
        book.add_reading(Quantity(0.4, "V"), kind="typed", instrument="read by eye")
        shown = bench_view.snapshot(book, None, None)
        self.assertEqual(shown["advice"]["sentence"], "Enough read. Take it.")
        self.assertEqual((shown["needle"]["at"], shown["needle"]["unit"]), (400.0, "mV"))
        page = bench_view.page(book, None, None)
        self.assertEqual([o.label for o in page["offers"]], ["Count this one"])
        self.assertEqual([(b["label"], b["sign"]) for b in page["thread"]], [("Count", "inspect")])
        book.take()
        book.finish()
        (line,) = run_record.record_of(self.workshop, book.run.id).lines
        assert line.gained is not None
        self.assertAlmostEqual(line.gained.value, 0.3)
        self.assertEqual((line.name, line.gained.unit, line.words), ("Count", "V", "the mean of many, 0.300 V"))

    def test_rehearsal(self) -> None:
        book = self.begin()
        rehearse(book, PracticeReceiver(book.model, seed=3, misalign="none"), self.clock, seed=3)
        self.assertEqual([(v.step_id, v.outcome) for v in book.state.visits], [("many", "take")])
        self.assertGreater(book.state.visits[0].detail["mean"], 0.0)

    def test_a_dossier_that_lacks_what_it_needs_is_refused_by_path(self) -> None:
        data = self.data()
        del data["procedure"][0]["steps"][0]["aim"]
        with self.workshop.store() as conn, self.assertRaises(FileRefused) as caught:
            shelf_work.take_in_dossier(conn, json.dumps(data).encode(), name="counting.json")
        self.assertEqual([f.path for f in caught.exception.faults], ["procedure[0].steps[0].aim.count"])
