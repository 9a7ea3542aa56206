"""One bench for one run: looking takes it from nobody, and what takes it says from whom."""

from calm_needle.work.jobs.shelf import job_of, parts_of_job
from calm_needle.work.soundness.power import power_of
from tests.support.client import PageTest

HALVERN, CORVANE = 2, 8
LONG_S = 120.0  # after which nobody looks any more


class OneBench(PageTest):
    def begin(self, job_id: int) -> int:
        answer = self.post(f"/jobs/{job_id}/runs", phase="intermediate frequency")
        self.assertEqual(answer.status_code, 303)
        return int(answer.headers["Location"].rsplit("/", 1)[1])

    def has_bench(self, run_id: int) -> bool:
        return self.workshop.live.client is self.workshop.desk(run_id)

    def page(self, run_id: int) -> str:
        return self.get(f"/bench/{run_id}").get_data(as_text=True)

    def readings(self, run_id: int) -> int:
        with self.workshop.desk(run_id).book() as book:
            return len(book.seen.kept)

    def test_an_old_window_takes_nothing_and_its_acts_are_refused(self) -> None:
        first = self.begin(HALVERN)
        self.assertTrue(self.has_bench(first), "who begins a run takes the bench")
        self.post(f"/bench/{first}/set", here=self.here(first))
        self.page(first)
        second = self.begin(CORVANE)
        self.assertTrue(self.has_bench(first), "it is read there: it stays")
        said = self.page(second)
        self.assertIn(f"The bench is in use by run {first} of job {HALVERN}", said)
        self.assertIn("Take the bench over", said)
        self.assertNotIn("check its cable", said)
        for act in ("set", "sweep"):
            refused = self.post(f"/bench/{second}/{act}", here=self.here(second))
            self.assertIn(refused.status_code, (409, 422), act)
        for look in (f"/bench/{second}", f"/runs/{second}/record"):
            self.get(look)
        stream = self.get(f"/bench/{second}/stream", buffered=False)
        self.assertIn("in use by run", next(c for c in stream.iter_encoded() if b"data:" in c).decode())
        self.assertTrue(self.has_bench(first))
        self.assertEqual(self.post(f"/bench/{second}/bench", over="0").status_code, 409, "it is asked from whom")
        self.assertEqual(self.post(f"/bench/{second}/bench", over=str(first)).status_code, 303)
        self.assertTrue(self.has_bench(second))
        self.assertIn(f"The bench is in use by run {second} of job {CORVANE}", self.page(first))
        before = self.readings(first)
        self.workshop.clock.wait(5.0)
        self.page(first)
        self.assertEqual(self.readings(first), before, "nothing of another set comes into its job")

    def test_a_bench_at_which_nobody_looks_is_free_and_a_window_that_wakes_up_does_not_take_it_back(self) -> None:
        first = self.begin(HALVERN)
        self.workshop.clock.wait(LONG_S)
        second = self.begin(CORVANE)
        self.assertTrue(self.has_bench(second))
        self.workshop.clock.wait(LONG_S)
        said = self.page(first)
        self.assertTrue(self.has_bench(second))
        self.assertIn("This run does not have the bench", said)
        self.assertEqual(self.post(f"/bench/{first}/bench", over="0").status_code, 303)
        self.assertTrue(self.has_bench(first))

    def test_the_meters_are_not_lent_to_another_set_while_one_is_read_but_smoke_is_heard_always(self) -> None:
        first = self.begin(HALVERN)
        self.page(first)
        self.say_off(CORVANE)
        with self.workshop.store() as conn:
            part = parts_of_job(conn, job_of(conn, CORVANE))[0].id
        refused = self.post(f"/jobs/{CORVANE}/parts", part=part, value="", seen="0")
        self.assertIn(f"in use by run {first}", refused.get_data(as_text=True))
        self.assertTrue(self.has_bench(first))
        self.assertEqual(self.post(f"/jobs/{CORVANE}/start/smoke", words="").status_code, 303)
        with self.workshop.store() as conn:
            self.assertEqual(power_of(conn, CORVANE).state, "stopped")
