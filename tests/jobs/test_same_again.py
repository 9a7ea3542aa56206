"""In virtual time the same hand on the same set reads the same, to the last digit and the same millisecond."""

from tests.support.apprentice import Apprentice
from tests.support.whole_job import WholeJob, bring_in


class TheSameAgain(WholeJob):
    def readings(self) -> list[tuple[object, ...]]:
        bench = self.begin(bring_in(self.workshop, model="pellow-scout", serial="S 90001"))
        apprentice = Apprentice(bench)
        for _ in range(3):  # the set-up, what is measured as found, and the first can
            title = bench.title
            if bench.main_act == "Set it all":
                bench.press("Enter")
            elif title.startswith("Measure "):
                bench.wait_for_reading_after(0)
                bench.press("t")
            else:
                apprentice.turn_one()
            self.assertNotEqual(bench.title, title)
        with self.workshop.store() as conn:
            return conn.execute(
                "SELECT kind, value, generator_v, turns, at_stop, at_utc FROM reading WHERE run_id = :run ORDER BY id",
                {"run": bench.run_id},
            ).fetchall()

    def test_one_seed_gives_one_row_of_readings(self) -> None:
        first = self.readings()
        self.doCleanups()
        self.setUp()
        self.assertGreater(len(first), 50)
        self.assertEqual(self.readings(), first)
