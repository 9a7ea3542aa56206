"""A computer whose clock is put back: what came later is still later."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

from calm_needle.core.quantities import Quantity
from calm_needle.store import shelf
from calm_needle.work.jobs import intake
from calm_needle.work.jobs.shelf import job_of, parts_of_job
from calm_needle.work.soundness import bands, parts_sweep, repairs, safe_start
from calm_needle.work.workshop import Workshop
from tests.support import halvern
from tests.support.demo import copy_into
from tests.support.looked import LOOKED

UNSOUND_JOB = 4


class AClockPutBack(unittest.TestCase):
    def test_readings_are_struck_by_their_number_and_the_watch_goes_on(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            conn, job_id = halvern.store_with_job(Path(name))
            clock = halvern.clock()
            book = halvern.new_run(conn, job_id, clock)
            book.set_everything()
            book.skip("measured elsewhere")

            def read(*millivolts: float) -> None:
                for value in millivolts:
                    clock.go(2.0)
                    book.add_reading(Quantity(value / 1e3, "V"), kind="live", instrument="meter")

            read(88, 91, 97, 108, 121, 136)
            good = book.seen.kept[-1].id
            clock.go(-3600.0)
            read(146, 151, 148)
            times = [s.t_s for s in book.seen.series.watched]
            self.assertEqual(times, sorted(times), "time goes on for whoever watches")
            book.strike_after(good, "the generator was not as set")
            self.assertEqual([r.value for r in book.seen.kept if r.struck], [0.146, 0.151, 0.148])
            conn.close()


class AClockPutBackBetweenRepairAndTest(unittest.TestCase):
    """What was measured after a change counts, whatever the clock of the computer says."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        workshop = Workshop(Path(folder.name))
        self.addCleanup(workshop.close)
        self.conn = self.enterContext(workshop.store())
        safe_start.switch_off(self.conn, UNSOUND_JOB)
        self.old = mock.Mock(return_value="2020-01-01T00:00:00.000Z")

    def check(self, value: str) -> None:
        seen = {line.part.id: line.seen for _, lines, _ in parts_sweep.view(self.conn, UNSOUND_JOB).regions for line in lines}
        parts_sweep.enter(self.conn, UNSOUND_JOB, {"part": "R4", "value": value, "seen": str(seen["R4"])})

    def replaced(self) -> None:
        repairs.record(self.conn, UNSOUND_JOB, {"part": "R4", "what": "replaced", "looked_over": "yes"})

    def measured(self) -> list[float]:
        counted = parts_sweep.counted(self.conn, UNSOUND_JOB, parts_of_job(self.conn, job_of(self.conn, UNSOUND_JOB)))
        return [m.value for m, _ in counted.get("R4", ())]

    def test_a_part_is_judged_by_what_was_measured_since_it_is_new(self) -> None:
        self.check("500")
        self.replaced()
        self.assertEqual(self.measured(), [])
        with mock.patch.object(parts_sweep, "now_utc", self.old):
            self.check("221")
        self.assertEqual(self.measured(), [221.0])

    def test_a_complaint_tested_after_the_last_change_is_settled(self) -> None:
        intake.add_complaint(self.conn, UNSOUND_JOB, {"words": "weak on every band", "place": ""})
        complaint = intake.complaints_of(self.conn, UNSOUND_JOB)[-1]

        def missing() -> list[str]:
            return [m for m in intake.closing_of(self.conn, UNSOUND_JOB).missing if complaint.words in m]

        self.replaced()
        with mock.patch.object(intake, "now_utc", self.old):
            intake.retest(self.conn, UNSOUND_JOB, complaint.id, {"outcome": "gone", "words": "", "cover": "on"})
        self.assertEqual(missing(), [])
        with mock.patch.object(repairs, "now_utc", self.old):
            self.replaced()
        self.assertIn("was tested before R4 was changed", missing()[0])

    def test_bands_heard_after_the_last_change_are_heard_again(self) -> None:
        self.replaced()
        form = {"coupling": "dummy aerial", "was_on": "yes"}
        for line in bands.view(self.conn, UNSOUND_JOB).lines:
            form |= {f"{kind}-{line.band.id}": "alive" for kind in ("off-air", "generator")}
            form |= {f"level-{line.band.id}": f"{line.readings.book_v or 50e-6}", f"coil-{line.band.id}": "2"}
        with mock.patch.object(bands, "now_utc", self.old):
            bands.keep(self.conn, UNSOUND_JOB, form)
        self.assertTrue(bands.view(self.conn, UNSOUND_JOB).whole.passed, bands.view(self.conn, UNSOUND_JOB).whole.sentence)
        self.assertFalse(bands.view(self.conn, UNSOUND_JOB).to_hear_again)
        with mock.patch.object(repairs, "now_utc", self.old):
            self.replaced()
        self.assertTrue(bands.view(self.conn, UNSOUND_JOB).to_hear_again)

    def test_a_look_before_a_change_is_asked_again_and_one_after_it_is_not(self) -> None:
        def climb() -> None:
            safe_start.climb(self.conn, UNSOUND_JOB, form=LOOKED)
            safe_start.switch_off(self.conn, UNSOUND_JOB)

        climb()
        self.assertTrue(safe_start.view(self.conn, UNSOUND_JOB).looked)
        with mock.patch.object(repairs, "now_utc", self.old):
            self.replaced()
        self.assertFalse(safe_start.view(self.conn, UNSOUND_JOB).looked)
        with mock.patch.object(safe_start, "now_utc", self.old):
            climb()
        self.assertTrue(safe_start.view(self.conn, UNSOUND_JOB).looked)

    def test_a_waiver_does_not_hold_for_what_was_opened_again_after_it(self) -> None:
        for phase in ("safe start", "health"):
            shelf.mark_phase(self.conn, job_id=UNSOUND_JOB, phase=phase, state="done", remark="", at_utc="2026-11-25T00:00:00.000Z")
        shelf.mark_phase(self.conn, job_id=UNSOUND_JOB, phase="health", state="open", remark="", at_utc="2026-11-25T00:00:00.000Z")
        with mock.patch.object(intake, "now_utc", self.old):
            intake.waive(self.conn, UNSOUND_JOB, {"reason": "only the dial"})
        self.assertTrue(intake.gate_of(self.conn, UNSOUND_JOB).open)
        shelf.mark_phase(self.conn, job_id=UNSOUND_JOB, phase="health", state="open", remark="", at_utc="2019-01-01T00:00:00.000Z")
        self.assertFalse(intake.gate_of(self.conn, UNSOUND_JOB).open)


if __name__ == "__main__":
    unittest.main()
