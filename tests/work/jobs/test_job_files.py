"""A job out into a file and in again: the same bytes; whatever is wrong with a file is named, and nothing of it is taken."""

import hashlib
import io
import json
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from calm_needle.errors import FileRefused
from calm_needle.store import job_tables
from calm_needle.work.jobs import entries, intake, job_files, photographs
from calm_needle.work.soundness import parts_sweep, repairs, safe_start
from calm_needle.work.verification import measuring, soaking
from calm_needle.work.workshop import Workshop
from tests.support.demo import copy_into

RICH, STANNARD, JOBS = 1, 6, range(1, 12)


def digested(content: dict[str, Any]) -> bytes:
    """A job's file of this content, with the digest that fits it."""
    body = json.dumps(content, ensure_ascii=False)
    digest = hashlib.sha256(body.encode()).hexdigest()
    return f'{{"format":"calm-needle/job","version":1,"digest":"{digest}","content":\n{body}\n}}\n'.encode()


class Stores(unittest.TestCase):
    def setUp(self) -> None:
        self.here, self.there = self.workshop(demo=True), self.workshop(demo=False)

    def workshop(self, *, demo: bool) -> Workshop:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        if demo:
            copy_into(Path(folder.name))
        workshop = Workshop(Path(folder.name))
        self.addCleanup(workshop.close)
        return workshop

    def out(self, workshop: Workshop, job_id: int) -> bytes:
        with workshop.store() as conn:
            return job_files.write(conn, workshop.photographs, job_id)

    def take_in(self, workshop: Workshop, content: bytes) -> int:
        with workshop.store() as conn:
            return job_files.take_in(conn, workshop.photographs, content, name="a job")

    def counts(self, workshop: Workshop) -> dict[str, int]:
        with workshop.store() as conn:
            tables = [t.name for t in job_tables.TABLES] + ["job", "radio_set", "dossier", "model"]
            return {t: conn.execute(f"SELECT count(*) FROM {t}").fetchone()[0] for t in tables}


class RoundTrip(Stores):
    def test_every_job_of_the_demo_comes_out_of_another_store_as_it_went_in(self) -> None:
        for job_id in JOBS:
            content = self.out(self.here, job_id)
            self.assertEqual(self.out(self.there, self.take_in(self.there, content)), content, f"job {job_id}")

    def test_with_everything_in_it_that_a_job_can_hold(self) -> None:
        with self.here.store() as conn:
            picture = io.BytesIO()
            Image.new("RGB", (320, 200), (90, 80, 70)).save(picture, "JPEG")
            shot = photographs.attach(conn, self.here.photographs, STANNARD, content=picture.getvalue(), name="a.jpg", caption="as it came")
            photographs.pin(conn, STANNARD, shot, {"kind": "lead", "label": "red", "x": "10", "y": "20"})
            safe_start.switch_off(conn, STANNARD)
            parts_sweep.enter(conn, STANNARD, {"part": "R1", "value": "open", "seen": "0"})
            repairs.record(conn, STANNARD, {"part": "R1", "what": "replaced", "value": "", "looked_over": "yes"})
            repairs.quick_test(conn, STANNARD, {"outcome": "better", "words": "0.2 V more"})
            parts_sweep.enter(conn, STANNARD, {"part": "R1", "value": "100", "sure-value": "100", "seen": "1"})
            entries.add(conn, STANNARD, {"kind": "worry", "worry": "too quiet", "tests": "sensitivity"})
            complaint = intake.complaints_of(conn, STANNARD)[0].id
            intake.retest(conn, STANNARD, complaint, {"outcome": "gone", "words": "plays at 12 µV", "cover": "on"})
            safe_start.switch_on(conn, STANNARD, None)
            watch = soaking.begin(conn, STANNARD, {"fault": "crackles", "minutes": "60", "attended": "yes"})
            soaking.log(conn, STANNARD, watch, {"kind": "event"})
            form = {"band": "BC", "nominal_hz": "1M", "measured_hz": "1.0002M", "cover": "off", "was_on": "yes"}
            struck = measuring.write_down(conn, STANNARD, "frequency", form)
            measuring.strike(conn, STANNARD, struck, "the wrong mark")
        content = self.out(self.here, STANNARD)
        copy = self.take_in(self.there, content)
        self.assertEqual(self.out(self.there, copy), content)
        with self.here.store() as a, self.there.store() as b:
            names = [(s.name, s.state) for s in repairs.view(a, STANNARD).faults]
            self.assertEqual([(s.name, s.state) for s in repairs.view(b, copy).faults], names)
            self.assertEqual([t.struck for t in measuring.taken(b, copy)], ["the wrong mark"])
            row = photographs.view(b, copy).photographs[0][0]
            self.assertTrue(photographs.file_of(b, self.there.photographs, copy, row.id, small=True).is_file())

    def test_the_file_of_an_earlier_program_has_what_its_columns_held_then(self) -> None:
        with self.here.store() as conn:
            complaint = intake.complaints_of(conn, STANNARD)[0].id
            intake.retest(conn, STANNARD, complaint, {"outcome": "gone", "words": "plays at 12 µV", "cover": "on"})
        data = json.loads(self.out(self.here, STANNARD))
        tables = data["content"]["tables"]
        for table, added in (("retest", "cover"), ("act", "after_repair"), ("start_entry", "after_repair"), ("waiver", "after_mark")):
            if table in tables:
                self.assertEqual(tables[table]["columns"].pop(), added)
                tables[table]["rows"] = [row[:-1] for row in tables[table]["rows"]]
        copy = self.take_in(self.there, digested(data["content"]))
        with self.there.store() as conn:
            self.assertEqual(intake.complaints_of(conn, copy)[0].retests[-1].cover, "")
        tables["retest"]["columns"].pop()
        tables["retest"]["columns"].pop()
        tables["retest"]["rows"] = [row[:-2] for row in tables["retest"]["rows"]]
        with self.assertRaisesRegex(FileRefused, "in this order"):  # what no program ever wrote
            self.take_in(self.there, digested(data["content"]))

    def test_the_schema_says_what_the_files_are_and_what_they_are_not(self) -> None:
        with self.here.store() as conn:
            validator = jsonschema.Draft202012Validator(json.loads(job_files.schema(conn)))
        validator.check_schema(validator.schema)
        for job_id in JOBS:
            data = json.loads(self.out(self.here, job_id))
            self.assertEqual([e.message for e in validator.iter_errors(data)], [], job_id)
        readings = json.loads(self.out(self.here, RICH))
        readings["content"]["tables"]["reading"]["rows"][0].pop()
        readings["content"]["job"]["bench"] = 3
        readings["content"]["photographs"]["../up"] = ""
        self.assertEqual(len(list(validator.iter_errors(readings))), 3)

    def test_a_set_that_is_here_already_gets_the_job_and_keeps_what_is_known_of_it(self) -> None:
        content = self.out(self.here, RICH)
        before = self.counts(self.here)
        with self.here.store() as conn:
            shown = job_files.preview(conn, content, name="x")
            self.assertEqual((shown.set_known, shown.model_known, shown.same_as), (True, True, RICH))
        copy = self.take_in(self.here, content)
        after = self.counts(self.here)
        self.assertEqual((after["job"] - before["job"], after["radio_set"], after["dossier"]), (1, before["radio_set"], before["dossier"]))
        self.assertEqual(self.out(self.here, copy), content)


class Refused(Stores):
    def setUp(self) -> None:
        super().setUp()
        self.content = self.out(self.here, RICH)

    def faults(self, content: bytes) -> str:
        before = self.counts(self.there)
        with self.assertRaises(FileRefused) as caught:
            self.take_in(self.there, content)
        self.assertEqual(self.counts(self.there), before)
        return " | ".join(str(f) for f in caught.exception.faults)

    def spoilt(self, spoil: Callable[[dict[str, Any]], None]) -> bytes:
        """The job with something changed in it, and a digest that fits again: as somebody would who knows the format."""
        data = json.loads(self.content)["content"]
        spoil(data)
        return digested(data)

    def test_cut_edited_foreign_and_newer_ones(self) -> None:
        self.assertIn("not whole JSON", self.faults(self.content[: len(self.content) // 2]))
        self.assertIn("edited, or cut", self.faults(self.content.replace(b'"reading"', b'"Reading"', 1)))
        self.assertIn("it is no job's file", self.faults(b'{"a": 1}'))
        self.assertIn("newer Calm Needle", self.faults(self.content.replace(b'"version":1', b'"version":2', 1)))
        self.assertIn("not UTF-8", self.faults(b"\xff\xfe\x00"))
        self.assertIn("nested too deeply", self.faults(b'{"content":' + b"[" * 100_000 + b"]" * 100_000 + b"}"))
        self.assertIn("stands there twice", self.faults(self.content.replace(b'"format":', b'"version":1,"format":', 1)))

    def test_all_faults_of_one_file_are_named(self) -> None:
        def spoil(d: dict[str, Any]) -> None:
            d["job"]["bench"] = 3
            d["tables"]["reading"]["rows"][0][0] = 99_999
            d["tables"]["act"]["rows"][1] = ["short"]
            d["tables"]["users"] = {"columns": [], "rows": []}
            d["photographs"]["../../etc/passwd"] = ""

        said = self.faults(self.spoilt(spoil))
        for words in ("job.bench", "tables.reading[0]", "tables.act[1]: a row has", "tables.users: there is no such table", "no digest"):
            self.assertIn(words, said)

    def test_numbers_text_and_pictures_that_cannot_be(self) -> None:
        def row(table: str, column: str, value: Any) -> Callable[[dict[str, Any]], None]:
            def spoil(d: dict[str, Any]) -> None:
                t = d["tables"][table]
                t["rows"][0][t["columns"].index(column)] = value

            return spoil

        sha = "a" * 64
        for spoil, words in (
            (row("reading", "value", "1.0"), "it is no number"),
            (row("reading", "value", 1e300), "larger than any number"),
            (row("act", "at_utc", "x\x00y"), "cannot be kept"),
            (row("act", "kind", None), "may not be empty"),
            (row("reading", "visit_id", 0), "there is no act 0"),
            (row("reading", "kind", "guess"), "cannot stand in a store"),
            (row("run_plan", "content", {"groups": 3}), "no plan of a run"),
            (lambda d: d["photographs"].update({sha: "////"}), "does not have its digest"),
            (lambda d: d["dossiers"][0].update(content="{}"), "does not have its digest"),
            (lambda d: d["set"].update(dossier=9), "no such dossier"),
        ):
            with self.subTest(words):
                self.assertIn(words, self.faults(self.spoilt(spoil)))

    def test_rows_that_are_each_right_and_make_no_sense_together(self) -> None:
        def spoil(d: dict[str, Any]) -> None:
            acts = d["tables"]["act"]
            at = acts["columns"].index("detail")
            for r in acts["rows"]:
                r[at] = {"step_id": "nowhere", "round": 1}

        self.assertIn("no sense together", self.faults(self.spoilt(spoil)))

    @settings(deadline=None, derandomize=True, database=None, max_examples=40, suppress_health_check=[*HealthCheck])
    @given(st.data())
    def test_whatever_byte_is_changed_it_is_refused_and_nothing_is_kept(self, data: st.DataObject) -> None:
        at = data.draw(st.integers(0, len(self.content) - 2))
        other = data.draw(st.integers(0, 255))
        content = self.content[:at] + bytes([other]) + self.content[at + 1 :]
        if content != self.content and other not in b" \n\t":
            self.faults(content)
