"""A bench whose meters answer late or in bunches: every advice ends in a proven result or in a disturbance that is named."""

import contextlib
from collections.abc import Iterator
from unittest import mock

from calm_needle.store import practice, shelf
from calm_needle.store.db import transaction
from calm_needle.work.jobs.shelf import job_of
from tests.support import starved
from tests.support.apprentice import Apprentice
from tests.support.inside_bench import InsideBench
from tests.support.to_certificate import ToTheCertificate
from tests.support.whole_job import bring_in

MOST_TOUCHES = 25  # with one and the same advice near a crest
UNDER_WAY = ("rising", "steady", "beating")  # said as long as there is something to turn
NAMED = "wandering"
BY_TURNS_MOST = 120  # touches of one adjuster, from wherever it was left


class Starved(ToTheCertificate):
    """By somebody who follows the advice to the letter. `./run bench starved` has the Corvane do it, in all its phases."""

    most_in_a_row = most_touches = 0

    def go_through(self, hold_up: object, serial: str, *phases: str) -> None:
        self.workshop.stand_ins.hold_up = hold_up  # type: ignore[attr-defined]
        self.job_id = self.job_of(serial)
        with self.counted():
            for phase in phases:
                self.lead_through(phase)
        truth = self.workshop.stand_ins.receiver.truth()  # type: ignore[attr-defined]
        self.assertLess(truth.loss_db - truth.best_loss_db, 0.6)

    @contextlib.contextmanager
    def counted(self) -> Iterator[None]:
        """Count the touches, and those in a row with the same verdict; what is turned as far as was said is one."""
        turn, as_told, turn_one = InsideBench.turn, Apprentice._turn_as_told, Apprentice.turn_one
        told = [False]
        row: list[str] = []

        def note(bench: InsideBench) -> None:
            with bench.desk.book() as book:
                standing = book.standing()
            row.append(standing.verdict if standing else "")
            same = next((i for i, v in enumerate(reversed(row)) if v != row[-1]), len(row))
            self.most_touches = max(self.most_touches, len(row))
            if row[-1] not in UNDER_WAY and row[-1] != NAMED:
                self.most_in_a_row = max(self.most_in_a_row, same)
                self.assertLessEqual(same, MOST_TOUCHES, f"{bench.title}: {bench.advice} {bench.evidence}")
            self.assertLessEqual(len(row), BY_TURNS_MOST, f"{bench.title}: {bench.advice} {bench.evidence}")

        def touch(bench: InsideBench, way: int, *, fine: bool = False) -> None:
            if not told[0]:
                note(bench)
            turn(bench, way, fine=fine)

        def as_far(apprentice: Apprentice, advice: str) -> int:
            note(apprentice.bench)  # type: ignore[arg-type]
            told[0] = True
            try:
                return as_told(apprentice, advice)
            finally:
                told[0] = False

        def one(apprentice: Apprentice) -> None:
            row.clear()
            turn_one(apprentice)

        replaced = ((InsideBench, "turn", touch), (Apprentice, "_turn_as_told", as_far), (Apprentice, "turn_one", one))
        with contextlib.ExitStack() as stack:
            for owner, name, function in replaced:
                stack.enter_context(mock.patch.object(owner, name, function))
            yield

    def test_its_strip_by_answers_that_take_ten_milliseconds_to_two_seconds(self) -> None:
        self.go_through(starved.late(self.workshop.clock, seed=1), "R40-0611", "intermediate frequency")

    def test_a_dial_and_a_front_end_by_answers_in_bunches(self) -> None:
        """The phases after the strip, in which somebody went on through a crest nine hundred times."""
        job_id = bring_in(self.workshop, model="pellow-scout", serial="S 90001")
        with self.workshop.store() as conn, transaction(conn):
            job = job_of(conn, job_id)
            shelf.mark_phase(conn, job_id=job_id, phase="intermediate frequency", state="done", remark="", at_utc=job.opened_utc)
            practice.add_fault(conn, set_id=job.set_id, fault="strip-aligned")
        self.go_through(starved.bunched(self.workshop.clock, seed=1), "S 90001", "oscillator and dial", "front end")
