"""A job at a glance says what is so: on or off, in hand, stale, due, lacking."""

import unittest

from calm_needle.clock import SYSTEM
from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.work.jobs import entries, glance, shelf
from calm_needle.work.record import certificate
from calm_needle.work.soundness import repairs
from calm_needle.work.verification import instruments_register, measuring
from tests.support.demo import DemoStore

TYPED, FRESH = 3, 5  # a set whose readings are typed; one of which nothing was done yet


class AtAGlance(DemoStore):
    def line(self, title: str) -> glance.GlanceLine:
        job = shelf.job_of(self.conn, TYPED)
        lines = {line.title: line for line in glance.glance(self.conn, job, shelf.phases_of(self.conn, job))}
        return lines[title]

    def measure(self, band: str) -> None:
        form = {"band": band, "level_v": "9u", "definition": DEFINITIONS["s-plus-n"].words, "coupling": "dummy aerial", "cover": "on"}
        measuring.write_down(self.conn, TYPED, "sensitivity", form)

    def lacks(self) -> list[str]:
        return [lack.words for lack in certificate.lacks(self.conn, TYPED)]

    def test_a_run_begun_is_in_hand(self) -> None:
        self.assertEqual(self.line("In hand").words, ("nothing is in hand",))
        shelf.begin_run(self.conn, TYPED, "intermediate frequency")
        self.assertEqual(self.line("In hand").words, ("intermediate frequency, at the bench, typed",))

    def test_what_was_measured_before_a_change_is_stale_and_no_longer_counts(self) -> None:
        self.measure("MW")
        self.assertEqual(self.line("Stale").state, "good")
        self.assertNotIn("sensitivity on medium wave", self.lacks())
        repairs.keep(self.conn, shelf.job_of(self.conn, TYPED), part="C9", what="replaced", value=None, words="", at_utc=SYSTEM.text())
        stale = self.line("Stale")
        self.assertEqual(stale.state, "watch")
        self.assertTrue(any(w.startswith("sensitivity medium wave: ") for w in stale.words), stale.words)
        self.assertTrue(any(w.startswith("sensitivity on medium wave again") for w in self.lacks()))

    def test_what_is_due_is_named_with_its_day(self) -> None:
        self.assertEqual(self.line("Due").words, ("nothing",))
        waiting = {"kind": "waiting", "item": "a dial cord", "blocks": "intermediate frequency", "by": "2026-01-05"}
        entries.add(self.conn, TYPED, waiting)
        form = {"checked_on": "2024-01-02", "due_on": "2025-01-02", "uncertainty": "2", "against": "the club’s"}
        instruments_register.add(self.conn, "counter", "frequency", form)
        words = " ".join(self.line("Due").words)
        self.assertIn("2026-01-05, which is past", words)
        self.assertIn("was due 2025-01-02", words)

    def test_a_certificate_issued_is_named_and_what_it_lacks_still_stands(self) -> None:
        self.measure("MW")
        certificate.issue(self.conn, TYPED, {"reason": "for the open day"})
        said = self.line("Certificate lacks")
        self.assertIn("no. 1 issued", said.words[0])
        self.assertIn("intermediate frequency: not done", said.words)
        self.assertGreater(said.more, 0)

    def test_what_is_done_at_will_is_no_longer_next_once_a_later_phase_is_done(self) -> None:
        job = shelf.job_of(self.conn, FRESH)

        def next_one() -> str:
            following = shelf.following(self.conn, FRESH, shelf.phases_of(self.conn, job))
            return following.name if following else ""

        shelf.mark_phase(self.conn, FRESH, {"phase": "intake", "state": "open"})
        self.assertEqual(next_one(), "intake")
        shelf.mark_phase(self.conn, FRESH, {"phase": "safe start", "state": "done", "remark": "256 V after 10 min"})
        self.assertEqual(next_one(), "health")

    def test_the_papers_own_definition_is_asked_for_first_and_stays_asked_for(self) -> None:
        shown = measuring.view(self.conn, FRESH)
        self.assertEqual(shown.definitions[0][0], "standard-output")
        form = {"band": "MW", "level_v": "4u", "definition": DEFINITIONS["s-plus-n"].words, "coupling": "dummy aerial", "cover": "on"}
        measuring.write_down(self.conn, FRESH, "sensitivity", form)
        lines = measuring.view(self.conn, FRESH).lines
        middle = [line for line in lines if round(line.at_hz) == 950_000]
        self.assertEqual([(line.definition, line.last is None) for line in middle], [
            (DEFINITIONS["s-plus-n"].words, False),
            (DEFINITIONS["standard-output"].words, True),
        ])  # fmt: skip


if __name__ == "__main__":
    unittest.main()
