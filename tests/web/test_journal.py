"""The journal of a job and its open list: what was found is asked for on every page until it is put right, with the set off too."""

import io
import json
import tarfile
from contextlib import redirect_stdout

from calm_needle import cli
from calm_needle.store import journal as store
from calm_needle.store.db import transaction
from calm_needle.work.jobs import entries, journal
from calm_needle.work.record import certificate
from calm_needle.work.soundness import safe_start
from tests.support.app import app_over
from tests.support.client import PageTest
from tests.support.old_folder import KEPT
from tests.support.pages import Pages
from tests.support.to_certificate import plain
from tests.support.workshops import workshop_in

TYPED = 3  # a Halvern 6B whose readings are typed
LOW = "199 V, −19.8 %: out of its 8 %."


class Asked(PageTest):
    def page(self, name: str) -> Pages:
        return Pages(self).open(f"/jobs/{TYPED}/{name}".rstrip("/"))

    def read(self, volts: float, **others: str) -> None:
        """On at full power, warm, read, off."""
        with self.workshop.store() as conn:
            if safe_start.view(conn, TYPED).not_right == [] and safe_start.view(conn, TYPED).start.rung < 0:
                safe_start.switch_on(conn, TYPED, None)
            self.workshop.clock.wait(180.0)
            safe_start.read(conn, TYPED, {"rail-rail": str(volts), **others})
            safe_start.switch_off(conn, TYPED)

    def pages_that_ask(self, words: str) -> set[str]:
        """The pages on which some words are read."""
        found = {name for name in ("", "journal", "record", "hand-back") if words in plain(self.page(name).text)}
        out = io.StringIO()
        with redirect_stdout(out):
            cli.main(["open", str(TYPED), "--data", str(self.workshop.folder), "--json"])
        rows = [json.loads(line) for line in out.getvalue().splitlines()]
        return found | ({"command"} if any(words in plain(row["words"]) for row in rows) else set())

    def test_a_rail_found_low_is_asked_for_with_the_set_off_until_it_was_mended_and_read_again(self) -> None:
        self.read(199.0, **{"rail-V4-k": "9.1"})
        self.assertEqual(self.pages_that_ask(LOW), {"", "journal", "record", "hand-back", "command"})
        with self.workshop.store() as conn:
            lacking = [lack.words for lack in certificate.lacks(conn, TYPED)]
        self.assertTrue(any(LOW in plain(words) for words in lacking), lacking)
        self.assertIn("V4 cathode", self.page("journal").part("Open").text_content())
        self.assertIn("Smoothed rail", self.page("guided").text)  # where “Find the fault” leads
        self.page("repairs").press("Write it down", part="C30b", looked_over=True)
        self.assertIn("Since then: C30b", self.page("journal").text)
        self.page("repairs").press("Keep the test", outcome="better", words="cold: 12 µF", tested="cold")
        self.read(247.0)
        self.assertEqual(self.pages_that_ask(LOW), set())
        self.assertIn("replaced", self.page("journal").text)
        record = self.page("record").text
        self.assertIn("247", record)
        self.assertEqual(record.count("switched off"), 2)  # both power-ups, each with its end

    def test_a_discarded_reading_stays_in_the_journal_with_its_reason_and_asks_for_nothing(self) -> None:
        self.read(199.0)
        page = Pages(self).open(f"/jobs/{TYPED}/journal?kind=rail").press("Discard entry")
        self.assertEqual(page.status, 422)
        self.assertIn("Enter what was wrong with it", page.text)
        page = page.press("Discard entry", reason="probe on the wrong terminal")
        self.assertEqual((page.status, page.path), (200, f"/jobs/{TYPED}/journal?kind=rail"))
        self.assertIn("discarded: probe on the wrong terminal", page.text)
        self.assertNotIn("Discard entry", page.buttons())
        self.assertEqual(self.pages_that_ask(LOW), set())
        self.assertNotIn("199", self.page("record").text)

    def test_only_what_is_there_and_may_be_discarded_is(self) -> None:
        self.read(199.0)
        self.assertEqual(self.post(f"/jobs/{TYPED}/journal/discard", origin="start_entry:999", reason="x").status_code, 404)
        with self.workshop.store() as conn:
            complaint = next(line.origin for line in journal.of_job(conn, TYPED).lines if line.kind == "complaint")
        self.assertEqual(self.post(f"/jobs/{TYPED}/journal/discard", origin=complaint, reason="x").status_code, 422)
        with self.workshop.store() as conn:
            self.assertEqual([s for s in journal.of_job(conn, TYPED).states if s.status == "discarded"], [])

    def test_every_note_is_in_the_record_with_what_came_of_it(self) -> None:
        with self.workshop.store() as conn:
            entries.add(conn, TYPED, {"kind": "suspicion", "what": "C16 leaks", "because": "hot valve", "test": "volts at the grid"})
            kept = entries.of_kind(conn, TYPED, "suspicion")[0].id
            entries.end(conn, TYPED, kept, {"outcome": "confirmed", "words": "0.8 V at the grid"})
        record = self.page("record").text
        self.assertIn("C16 leaks", record)
        self.assertIn("confirmed (0.8 V at the grid)", record)

    def test_the_filter_leaves_the_kind_that_was_asked_for(self) -> None:
        self.read(199.0)
        page = Pages(self).open(f"/jobs/{TYPED}/journal?kind=rail")
        (table,) = page.doc.xpath("//table[@aria-label='Journal entries']/tbody")
        self.assertEqual([row[1].text_content().strip() for row in table], ["Volts"])
        page = Pages(self).open(f"/jobs/{TYPED}/journal?status=discarded")
        self.assertIn("No entry matches the filter", page.text)


class OldFolder(PageTest):
    """A folder of an earlier version, with something in every table."""

    demo = False

    def setUp(self) -> None:
        super().setUp()
        self.open_again()

    def open_again(self) -> None:
        """The folder of the earlier version in place of an empty one."""
        folder = self.workshop.folder
        self.workshop.close()
        for file in folder.glob("calm-needle.sqlite3*"):
            file.unlink()
        with tarfile.open(KEPT / "schema-39.tar.xz") as kept:
            kept.extractall(folder, filter="data")
        self.workshop = workshop_in(folder)
        self.addCleanup(self.workshop.close)
        self.client = app_over(self.workshop).test_client()

    def test_every_row_is_a_fact_once_and_every_page_shows_them(self) -> None:
        kinds = set()
        with self.workshop.store() as conn:
            jobs = [row[0] for row in conn.execute("SELECT id FROM job ORDER BY id")]
            for job_id in jobs:
                facts = store.facts_of_job(conn, job_id)
                kept = {(f.table, f.row_id) for f in facts}
                self.assertEqual(len(kept), len(facts))
                for (source,) in conn.execute("SELECT DISTINCT source FROM fact_row WHERE job_id = :job", {"job": job_id}):
                    rows = conn.execute("SELECT row_id FROM fact_row WHERE job_id = :j AND source = :s", {"j": job_id, "s": source})
                    self.assertEqual({(source, row[0]) for row in rows} - kept, set(), source)
                    in_order = [f.row_id for f in facts if f.table == source]
                    self.assertEqual(in_order, sorted(in_order))
                kinds |= {f.kind for f in facts}
                self.assertEqual(len(journal.of_job(conn, job_id).lines), len(facts))
            self.assertGreater(len(kinds), 25)
        for job_id in jobs:
            self.assertEqual(self.get(f"/jobs/{job_id}/journal").status_code, 200)

    def test_a_clock_that_was_put_back_does_not_put_a_reading_before_the_repair_that_it_followed(self) -> None:
        with self.workshop.store() as conn, transaction(conn):
            job_id = conn.execute("SELECT job_id FROM repair ORDER BY id DESC LIMIT 1").fetchone()[0]
            last = conn.execute("SELECT max(id) FROM repair").fetchone()[0]
            conn.execute(
                """INSERT INTO part_check (job_id, part, value, in_circuit, replaced, at_utc, leads, after_repair)
                VALUES (:job, 'R7', 470e3, 0, 0, '2020-01-01T00:00:00.000Z', 0, :last)""",
                {"job": job_id, "last": last},
            )
            facts = store.facts_of_job(conn, job_id)
        places = {(f.table, f.row_id): i for i, f in enumerate(facts)}
        check = max(i for (table, _), i in places.items() if table == "part_check")
        self.assertGreater(check, places["repair", last])
