"""Certificates: numbered, immutable, of what stands and of nothing else; a paper that was altered or overtaken is found out."""

import json
import sqlite3

from calm_needle.clock import SYSTEM, from_text
from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.errors import FieldsRefused, FileRefused, NotFound
from calm_needle.files.pdf.document import Head, cell_words, write
from calm_needle.files.pdf.reading import read_certificate
from calm_needle.store import certificates as store
from calm_needle.store import repairs as repair_store
from calm_needle.work.jobs.shelf import job_of, parts_of_job
from calm_needle.work.record import certificate, job_record, papers
from calm_needle.work.soundness import parts_sweep, repairs, safe_start
from calm_needle.work.verification import instruments_register, measuring
from tests.support.demo import DemoStore

TYPED, STANNARD = 3, 6


class Papers(DemoStore):
    def measure(self, band: str = "MW", level: str = "9u", *, cover: str = "on") -> int:
        form = {"band": band, "level_v": level, "definition": DEFINITIONS["s-plus-n"].words, "coupling": "dummy aerial", "cover": cover}
        return measuring.write_down(self.conn, TYPED, "sensitivity", form)

    def issue(self, **form: str) -> bytes:
        return certificate.pdf_of(self.conn, certificate.issue(self.conn, TYPED, {"reason": "for the open day", **form}))

    def check(self, pdf: bytes) -> certificate.Checked:
        return certificate.check(self.conn, pdf, name="c.pdf")


class Certificates(Papers):
    def test_of_nothing_there_is_none_and_what_is_lacking_wants_a_reason(self) -> None:
        with self.assertRaisesRegex(FieldsRefused, "nothing is not issued|of nothing"):
            certificate.issue(self.conn, TYPED, {"reason": "x"})
        self.measure()
        with self.assertRaises(FieldsRefused) as caught:
            certificate.issue(self.conn, TYPED, {})
        self.assertIn("It lacks something", caught.exception.faults["reason"])
        self.assertEqual(store.of_job(self.conn, TYPED), [])
        carried = read_certificate(self.issue(), name="c.pdf")
        self.assertEqual(carried.data["issued_though"]["reason"], "for the open day")

    def test_it_agrees_until_the_job_moves_on_and_then_says_what_differs(self) -> None:
        self.measure()
        pdf = self.issue()
        self.assertEqual(self.check(pdf).agreement, "agrees")
        self.measure(level="12u")
        said = self.check(pdf)
        self.assertEqual(said.agreement, "moved on")
        self.assertTrue(any("9e-06 V" in d and "1.2e-05 V" in d for d in said.differences), said.differences)
        again = self.issue()
        self.assertEqual(self.check(again).agreement, "agrees")
        self.assertEqual(self.check(pdf).agreement, "superseded")
        self.assertEqual([c.superseded_by for c in certificate.listed(self.conn, TYPED)], [None, 2])

    def test_a_paper_that_was_altered_is_found_out(self) -> None:
        self.measure()
        pdf = self.issue()
        self.assertEqual(self.check(pdf + b"\n% a line more").agreement, "altered")
        made = certificate.draft(self.conn, TYPED)
        content = {**made.content, "set": {"model": "Halvern 6B", "serial": "another"}}
        digest = read_certificate(pdf, name="c.pdf").digest
        forged = write(
            Head("Certificate", "x", (), "", f"calm-needle-certificate no=1 sha256={digest}"),
            made.chapters,
            at=from_text(SYSTEM.text()),
            attached=[("certificate.json", json.dumps(content).encode())],
        )
        self.assertIn("no longer has the digest", self.check(forged).sentence)
        own = certificate.digest_of(content)
        elsewhere = write(
            Head("Certificate", "x", (), "", f"calm-needle-certificate no=1 sha256={own}"),
            made.chapters,
            at=from_text(SYSTEM.text()),
            attached=[("certificate.json", json.dumps(content).encode())],
        )
        self.assertEqual(self.check(elsewhere).agreement, "not issued here")

    def test_what_is_no_certificate_is_refused_in_words(self) -> None:
        for content, words in (
            (b"", "cannot be read as a PDF"),
            (b"%PDF-1.4\nhello", "cannot be read as a PDF"),
            (b"\x00" * 4000, "cannot be read as a PDF"),
            (papers.outstanding_pdf(self.conn, TYPED, paper="A4"), "it is no certificate"),
        ):
            with self.subTest(words), self.assertRaises(FileRefused) as caught:
                self.check(content)
            self.assertIn(words, str(caught.exception))

    def test_nothing_stale_is_on_it_and_what_is_left_off_is_named(self) -> None:
        self.measure("MW")
        repair_store.add_repair(self.conn, job_id=TYPED, part="C8", what="replaced", value=None, words="", at_utc=SYSTEM.text())
        self.measure("SW")
        made = certificate.draft(self.conn, TYPED)
        text = json.dumps(made.content, ensure_ascii=False)
        self.assertIn("short wave", text)
        self.assertTrue(any("medium wave: C8 was replaced since" in line for line in made.left_off))
        rows = [b for c in made.chapters if c.name == "verification" for b in c.blocks if b.title != "Lacking"]
        self.assertNotIn("medium wave", str(rows))

    def test_it_is_never_changed_not_even_by_hand_in_the_store(self) -> None:
        self.measure()
        self.issue()
        for change in ("UPDATE certificate SET digest = digest", "DELETE FROM certificate"):
            with self.assertRaisesRegex(sqlite3.IntegrityError, "immutable"):
                self.conn.execute(change)
        with self.assertRaises(NotFound):
            certificate.pdf_of(self.conn, 99)

    def test_the_same_content_is_the_same_bytes(self) -> None:
        self.measure()
        chapters = certificate.draft(self.conn, TYPED).chapters
        at = from_text("2026-11-26T10:00:00.000Z")
        a, b = (write(Head("T", "µ Ω ± √ “x” — …", (), "f"), chapters, at=at, paper=p) for p in ("A4", "A4"))
        self.assertEqual(a, b)
        self.assertNotEqual(a, write(Head("T", "s", (), "f"), chapters, at=at, paper="letter"))


class TheRecord(Papers):
    def test_only_instruments_of_which_there_is_a_reading_are_listed(self) -> None:
        safe_start.switch_off(self.conn, STANNARD)
        job = job_of(self.conn, STANNARD)
        before = {(line.instrument, line.quantity) for line in instruments_register.lines_used(self.conn, job)}
        self.assertNotIn(("lcr-meter", "ohms"), before)
        self.assertNotIn(("oscilloscope", "volts"), before)
        part = next(p for p in parts_of_job(self.conn, job) if p.kind == "capacitor")
        parts_sweep.enter(self.conn, STANNARD, {"part": part.id, "value": f"{part.nominal:.4g}", "seen": "0"})
        after = {(line.instrument, line.quantity) for line in instruments_register.lines_used(self.conn, job)}
        self.assertEqual(after - before, {("lcr-meter", "ohms")})
        self.assertNotIn("Oscilloscope", str(self.chapter("how")))

    def chapter(self, name: str) -> job_record.Chapter:
        return next(c for c in job_record.record_of(self.conn, STANNARD).chapters if c.name == name)

    def test_a_test_that_several_changes_share_stands_with_each_of_them(self) -> None:
        safe_start.switch_off(self.conn, STANNARD)
        for part in ("R1", "R2"):
            repairs.record(self.conn, STANNARD, {"part": part, "what": "replaced", "value": "", "looked_over": "yes"})
        self.assertIn("not tested since", str(self.chapter("parts")))
        repairs.quick_test(self.conn, STANNARD, {"outcome": "better", "words": "12 V more"})
        rows = next(b for b in self.chapter("parts").blocks if b.title == "Changed").rows  # type: ignore[union-attr]
        self.assertEqual([str(r.cells[-1]).split(",")[0] for r in rows], ["better: cold: 12 V more"] * 2)
        self.assertIn("tested together with R2", str(rows[0].cells[-1]))
        self.assertIn("tested together with R1", str(rows[1].cells[-1]))

    def test_every_chapter_of_every_demo_job_can_be_worded_on_paper_and_as_csv(self) -> None:
        for job_id in range(1, 12):
            record = job_record.record_of(self.conn, job_id)
            self.assertEqual(len({c.name for c in record.chapters}), len(record.chapters))
            pdf = write(Head("T", "s", (), "f"), record.chapters, at=from_text(SYSTEM.text()), words=cell_words)
            self.assertTrue(pdf.startswith(b"%PDF-"))

    def test_the_papers_for_owner_shelf_and_bench(self) -> None:
        text = str(papers.hand_back(self.conn, STANNARD))
        self.assertIn("What to mind", text)
        self.assertIn("Do not leave it on unattended", text)
        for made in (
            papers.hand_back_pdf(self.conn, STANNARD, paper="letter"),
            papers.bench_sheets_pdf(self.conn, STANNARD, paper="A4"),
            papers.label_pdf(self.conn, STANNARD, address="http://127.0.0.1:8123/jobs/6"),
        ):
            self.assertTrue(made.startswith(b"%PDF-"))
