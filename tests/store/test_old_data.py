"""A data folder of schema 39 with something in every table, as a busy workshop left it, opened by this version."""

import json
import tarfile
import tempfile
import unittest
from pathlib import Path

from calm_needle.store import certificates, drafts, measurements, runs, shelf
from calm_needle.work.record import certificate
from tests.support.every_table import DUNLIN, TYPED, empty_tables
from tests.support.old_folder import KEPT
from tests.support.workshops import workshop_in


class Schema39(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        with tarfile.open(KEPT / "schema-39.tar.xz") as kept:
            kept.extractall(folder.name, filter="data")
        self.said = json.loads((Path(folder.name) / "as-it-was.json").read_text())
        self.workshop = workshop_in(Path(folder.name))
        self.addCleanup(self.workshop.close)

    def test_every_table_has_a_row_and_none_is_lost(self) -> None:
        with self.workshop.store() as conn:
            self.assertEqual([t for t in empty_tables(conn) if t in self.said["rows"]], [])
            for table, count in self.said["rows"].items():
                self.assertGreaterEqual(conn.execute(f"SELECT count(*) FROM [{table}]").fetchone()[0], count, table)

    def test_runs_in_hand_drafts_and_watches_go_on(self) -> None:
        self.assertGreaterEqual(len(self.said["in_hand"]), 2)
        benches = set()
        for run_id in self.said["in_hand"]:
            desk = self.workshop.desk(run_id)
            self.assertNotEqual(desk.view()["stage"], "finished")
            benches.add(desk.on_instruments)
        self.assertEqual(benches, {True, False})
        with self.workshop.store() as conn:
            self.assertTrue(drafts.drafts_of_job(conn, DUNLIN))
            self.assertTrue(measurements.watches(conn, TYPED))
            self.assertTrue(any(runs.runs_of_job(conn, job.id) for job in shelf.newest_jobs(conn, limit=50)))

    def test_its_certificate_differs_only_in_what_is_lacking_and_in_instruments_that_nobody_used(self) -> None:
        with self.workshop.store() as conn:
            (row,) = certificates.of_job(conn, TYPED)
            found = certificate.check(conn, certificate.pdf_of(conn, row.id), name="c.pdf")
        self.assertEqual(found.agreement, "moved on")
        said = [d.partition(": ")[0] for d in found.differences]
        lacking = [where for where in said if where.endswith(", Lacking") or where.endswith("To be measured")]
        self.assertEqual([where for where in said if where not in lacking], ["How it was measured, Instruments"])


if __name__ == "__main__":
    unittest.main()
