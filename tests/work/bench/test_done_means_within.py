"""Done means within: a run that is through with a core without a peak, or off its centre, goes round again or is left with a reason."""

import json

from calm_needle.clock import now_utc
from calm_needle.core.physics.passband import Passband
from calm_needle.core.procedure.closing import SoFar, off_centre
from calm_needle.core.procedure.done import unmet
from calm_needle.errors import FieldsRefused
from calm_needle.store import runs
from calm_needle.work.bench.bench_view import main_action, page
from calm_needle.work.bench.run_book import RunBook, begin_run
from calm_needle.work.record import certificate, job_record
from tests.support.demo import DemoStore
from tests.support.halvern import IF_HZ, model
from tests.support.typed_run import through

TYPED = 3
DEAD = "IFT2 upper"


class DoneMeansWithin(DemoStore):
    def begun(self) -> RunBook:
        return RunBook(self.conn, begin_run(self.conn, job_id=TYPED, phase="intermediate frequency", at_utc=now_utc(self.conn)))

    def lacks(self) -> list[str]:
        return certificate.draft(self.conn, TYPED).lacks

    def test_a_core_without_a_peak_is_not_done_and_enter_goes_round_again(self) -> None:
        book = through(self.begun(), dead=DEAD)
        self.assertEqual(book.unmet(), [f"{DEAD} has no peak."])
        self.assertEqual((main_action(book, None).act, main_action(book, None).label), ("round", "Go round again"))
        self.assertEqual(page(book, None, None)["title"], "All steps done")
        book.round_again()
        self.assertEqual(book.state.stage, "step")
        through(book)
        self.assertEqual(book.unmet(), [])
        self.assertEqual(main_action(book, None).act, "finish")
        book.finish()
        self.assertNotIn("no peak", " ".join(self.lacks()))
        again = RunBook(self.conn, book.run.id)
        self.assertEqual((again.state.stage, again.set_aside), ("finished", ()))

    def test_left_so_it_wants_a_reason_that_stands_on_the_certificate_and_in_the_record(self) -> None:
        book = through(self.begun(), dead=DEAD)
        with self.assertRaisesRegex(FieldsRefused, "Say why it is left so"):
            book.finish()
        self.assertEqual(book.state.stage, "complete")
        book.finish("its owner wants it back today")
        said = f"intermediate frequency: {DEAD} has no peak. Left so: its owner wants it back today"
        self.assertIn(said, self.lacks())
        self.assertIn(said, str(job_record.outstanding(self.conn, TYPED)))

    def test_what_was_left_out_is_lacking_too(self) -> None:
        book = through(self.begun(), left_out=DEAD)
        book.finish()
        self.assertIn("intermediate frequency: left out: Peak the upper core of IFT2: waits for a tool", self.lacks())

    def test_a_last_sweep_off_its_centre_is_not_done_and_as_found_it_is_said_of_nothing_turned(self) -> None:
        book = through(self.begun())
        self.assertEqual(book.unmet(), [])
        (last,) = [v for v in book.state.visits if v.id == max(x.id for x in book.state.visits)]
        off = {"peak_hz": IF_HZ + 682, "low_hz": IF_HZ - 2700 + 682, "high_hz": IF_HZ + 2700 + 682}
        acts = runs.acts(self.conn, book.run.id)
        take = next(a for a in reversed(acts) if a.kind == "take")
        self.assertEqual(json.loads(take.detail)["step_id"], last.step_id)
        state = book.state.__class__(
            **{
                **vars(book.state),
                "visits": tuple(
                    v if v is not last else v.__class__(**{**vars(v), "detail": {**v.detail, "passband": off}}) for v in book.state.visits
                ),
            }
        )
        self.assertEqual(unmet(book.model, state), ["The middle of the response is 682 Hz high; 500 Hz is allowed."])

    def test_the_closing_advice_names_what_is_wrong(self) -> None:
        band = Passband(IF_HZ + 900, IF_HZ - 1800, IF_HZ + 3600)
        for so_far, words in (
            (SoFar(turned=False), "how it was found"),
            (SoFar(True, (DEAD,)), f"{DEAD} has no peak"),
            (SoFar(True), "All cores stand to one side"),
        ):
            found = off_centre(model(), band, source_hz=IF_HZ, so_far=so_far)
            assert found
            self.assertIn(words, found.evidence)
            self.assertEqual("once more" in found.evidence, so_far == SoFar(True))
