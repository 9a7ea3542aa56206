"""Many who add to one set's own data at the same moment: none of it is lost."""

import tempfile
import threading
import unittest
from pathlib import Path

from calm_needle.work.jobs import own_dossier
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.workshop import Workshop
from tests.support.demo import copy_into

JOB, MANY = 3, 10


class AmendedTogether(unittest.TestCase):
    def test_ten_parts_that_are_added_at_once_are_ten_parts(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        workshop = Workshop(Path(folder.name))
        self.addCleanup(workshop.close)
        together = threading.Barrier(MANY)
        faults: list[Exception] = []

        def add(number: int) -> None:
            try:
                with workshop.store() as conn:
                    together.wait(30.0)
                    own_dossier.add_part(conn, JOB, {"part": f"R{900 + number} 470k", "region": "output"})
            except Exception as fault:
                faults.append(fault)

        workers = [threading.Thread(target=add, args=(n,)) for n in range(MANY)]
        for worker in workers:
            worker.start()
        for worker in workers:
            worker.join(60.0)
        self.assertEqual(faults, [])
        with workshop.store() as conn:
            parts = {p.id for p in model_of_dossier(conn, job_of(conn, JOB).dossier_id).parts}
        self.assertEqual({f"R{900 + n}" for n in range(MANY)} - parts, set())
