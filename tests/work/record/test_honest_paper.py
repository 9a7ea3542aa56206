"""Paper says what was read and what is lacking: certificate, hand-back, the dial's errors."""

from typing import Any

from calm_needle.clock import SYSTEM
from calm_needle.core.chapters import Lines
from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.store import repairs as repair_store
from calm_needle.work.jobs import intake
from calm_needle.work.record import certificate, papers
from calm_needle.work.record.dial_record import dial_section
from calm_needle.work.verification import measuring
from tests.support.demo import DemoStore
from tests.support.halvern import model

TYPED, FRESH = 3, 6


class Job(DemoStore):
    def measure(self, level: str, *, cover: str, band: str = "SW") -> int:
        form = {"band": band, "level_v": level, "definition": DEFINITIONS["s-plus-n"].words, "coupling": "dummy aerial", "cover": cover}
        return measuring.write_down(self.conn, TYPED, "sensitivity", form)

    def mend(self, part: str = "C8") -> None:
        repair_store.add_repair(self.conn, job_id=TYPED, part=part, what="replaced", value=None, words="", at_utc=SYSTEM.text())


class HandBack(Job):
    def says(self) -> str:
        (now,) = (c for c in papers.hand_back(self.conn, TYPED) if c.name == "now")
        return str(now.blocks)

    def test_the_first_before_any_repair_is_compared_with_the_last_covers_alike(self) -> None:
        self.measure("90u", cover="on")
        self.mend()
        self.measure("30u", cover="on")
        self.measure("9u", cover="on")
        self.assertIn("hears signals 10 times weaker than when it came", self.says())

    def test_unlike_covers_or_nothing_before_the_repair_say_nothing(self) -> None:
        self.measure("9u", cover="off")
        self.mend()
        self.measure("30u", cover="on")
        self.assertNotIn("than when it came", self.says())  # read uncovered first: the owner is not told that it hears less
        self.measure("20u", cover="on")
        self.assertNotIn("when it came", self.says())  # both after the repair


class WhatItLacks(Job):
    def test_parts_not_measured_stand_at_its_head_and_beside_the_parts(self) -> None:
        self.measure("9u", cover="on")
        made = certificate.draft(self.conn, TYPED)
        self.assertIn("0 of 29 parts measured", made.lacks)
        (parts,) = (c for c in made.chapters if c.name == "parts")
        self.assertEqual(parts.blocks[0], Lines("Lacking", ("0 of 29 parts measured",)))

    def test_a_waiver_and_phases_before_alignment_are_lacking(self) -> None:
        intake.waive(self.conn, FRESH, {"reason": "only the dial was asked for"})
        lacks = certificate.draft(self.conn, FRESH).lacks
        for words in ("health: not done", "checks before alignment waived: only the dial was asked for"):
            self.assertIn(words, lacks)

    def test_a_complaint_tested_with_the_covers_off_is_lacking(self) -> None:
        (complaint, *_) = intake.complaints_of(self.conn, TYPED)
        for cover, lacking in (("off", True), ("on", False)):
            intake.retest(self.conn, TYPED, complaint.id, {"outcome": "gone", "words": "", "cover": cover})
            said = f"“{complaint.words}” was tested with the covers off: test it in its cabinet"
            self.assertEqual(said in certificate.draft(self.conn, TYPED).lacks, lacking)

    def test_the_dial_with_the_covers_on_is_lacking_until_it_was_read(self) -> None:
        lacking = "dial calibration on short wave with the covers on (Frequency accuracy)"
        self.assertIn(lacking, certificate.draft(self.conn, TYPED).lacks)
        form = {"band": "SW", "nominal_hz": "9M", "measured_hz": "9.02M", "cover": "off"}
        measuring.write_down(self.conn, TYPED, "frequency", form)
        self.assertIn(lacking, certificate.draft(self.conn, TYPED).lacks)
        measuring.write_down(self.conn, TYPED, "frequency", {**form, "cover": "on"})
        self.assertNotIn(lacking, certificate.draft(self.conn, TYPED).lacks)

    def test_figures_outside_their_limits_are_lacking_and_named(self) -> None:
        form = {"band": "SW", "level_v": "900u", "definition": DEFINITIONS["standard-output"].words, "coupling": "dummy aerial"}
        measuring.write_down(self.conn, TYPED, "sensitivity", {**form, "cover": "off"})
        self.assertIn("sensitivity on short wave: 900\u2009µV. Misses its limit", " ".join(certificate.draft(self.conn, TYPED).lacks))
        measuring.write_down(self.conn, TYPED, "sensitivity", {**form, "level_v": "90u", "cover": "on"})  # in its cabinet it is within
        self.assertNotIn("Misses its limit", " ".join(certificate.draft(self.conn, TYPED).lacks))
        dial = {"band": "SW", "nominal_hz": "9M", "cover": "on"}
        measuring.write_down(self.conn, TYPED, "frequency", {**dial, "measured_hz": "9.4M"})
        self.assertIn("dial on short wave: 9.4\u2009MHz is received at 9\u2009MHz", " ".join(certificate.draft(self.conn, TYPED).lacks))
        measuring.write_down(self.conn, TYPED, "frequency", {**dial, "measured_hz": "9.01M"})
        self.assertNotIn("is received at", " ".join(certificate.draft(self.conn, TYPED).lacks))


class TheDialOnPaper(DemoStore):
    def decided(self, errors: dict[float, float], *, touches: int, cover: str = "") -> dict[str, Any]:
        fitted = [errors.get(f, 123.0) for f in (6e5, 8e5, 1e6, 1.2e6)]
        read = [{"dial_hz": f, "error_hz": e, "cover": cover} for f, e in errors.items()]
        figures = {"worst_hz": 123.0, "least_worst_hz": 450.0, "marks_hz": [6e5, 8e5, 1e6, 1.2e6], "errors_hz": fitted}
        return {"dial": {"band": "MW", "read": read, "touches": touches, **figures}}

    def rows(self, *decisions: dict[str, Any]) -> dict[str, list[float | None]]:
        section = dial_section(model(), decisions)
        assert section
        return {row.name: [getattr(cell, "value", None) for cell in row.cells] for row in section.rows}

    def test_only_marks_that_were_read_are_printed(self) -> None:
        rows = self.rows(self.decided({6e5: 4e3, 1e6: -2e3}, touches=0), self.decided({6e5: 400.0, 1.2e6: 300.0}, touches=2))
        self.assertEqual(rows["medium wave at 600\u2009kHz"], [4e3, 400.0])
        self.assertEqual(rows["medium wave at 1\u2009MHz"], [-2e3, None])
        self.assertEqual(rows["medium wave at 1.2\u2009MHz"], [None, 300.0])
        self.assertNotIn("medium wave at 800\u2009kHz", rows)
        self.assertEqual(rows["medium wave, worst read"], [4e3, 400.0])
        self.assertEqual(rows["medium wave, smallest maximum error, worked out"], [None, 450.0])

    def test_nothing_is_as_left_where_nothing_was_turned(self) -> None:
        first = self.decided({6e5: 4e3, 1e6: -2e3}, touches=0)
        self.assertEqual(self.rows(first)["medium wave at 600\u2009kHz"], [4e3, None])
        self.assertEqual(self.rows(first, first)["medium wave, worst read"], [4e3, None])

    def test_off_and_on_are_told_apart_and_figures_of_an_earlier_version_say_that_they_were_worked_out(self) -> None:
        rows = self.rows(self.decided({6e5: 4e3}, touches=0, cover="off"), self.decided({6e5: 200.0}, touches=2, cover="on"))
        self.assertEqual(rows["medium wave at 600\u2009kHz, cover off"], [4e3, None])
        self.assertEqual(rows["medium wave at 600\u2009kHz, cover on"], [None, 200.0])
        old = {"dial": {k: v for k, v in self.decided({6e5: 4e3}, touches=0)["dial"].items() if k not in ("read", "touches")}}
        self.assertTrue(all(name.endswith("worked out") for name in self.rows(old)), self.rows(old))
