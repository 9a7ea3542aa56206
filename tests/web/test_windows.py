"""More windows and streams than one, and what is typed into them."""

import contextlib
import unittest

from calm_needle.web.screens.bench import views as bench_views
from tests.support.client import PageTest


class ManyStreams(PageTest):
    def test_beyond_what_can_be_spared_a_stream_tells_how_it_stands_and_ends(self) -> None:
        run_id = self.begin_typed_run()
        with contextlib.ExitStack() as held:
            for _ in range(bench_views.MOST_STREAMS):
                self.assertTrue(bench_views.STREAMS.acquire(blocking=False))
                held.callback(bench_views.STREAMS.release)
            answer = self.client.get(f"/bench/{run_id}/stream")
            said = answer.get_data(as_text=True)
            answer.close()
        self.assertIn("retry: 4000", said)
        self.assertIn('"advice"', said)

    def test_one_that_is_let_go_gives_its_place_back(self) -> None:
        run_id = self.begin_typed_run()
        for _ in range(2 * bench_views.MOST_STREAMS):
            self.client.get(f"/bench/{run_id}/stream").close()
        self.assertTrue(bench_views.STREAMS.acquire(blocking=False))
        bench_views.STREAMS.release()


class TwoWindows(PageTest):
    def test_back_in_two_windows_goes_back_once(self) -> None:
        run_id = self.begin_typed_run()
        for _ in range(3):
            self.post(f"/bench/{run_id}/skip", here=self.here(run_id), reason="for the test")
        seen = self.here(run_id)
        self.assertEqual(self.post(f"/bench/{run_id}/back", here=seen).status_code, 303)
        now = self.here(run_id)
        refused = self.post(f"/bench/{run_id}/back", here=seen)
        self.assertEqual(refused.status_code, 409)
        self.assertIn("The run has gone on meanwhile", refused.get_data(as_text=True))
        self.assertEqual(self.here(run_id), now)

    def test_an_act_that_names_no_place_is_refused(self) -> None:
        run_id = self.begin_typed_run()
        self.post(f"/bench/{run_id}/readings", here=self.here(run_id), reading="88m")
        for act, form in (("take", {}), ("skip", {"reason": "x"}), ("back", {}), ("no-peak", {}), ("finish", {}), ("note", {"words": "x"})):
            for here in ("", "0", "after-1", "x"):
                self.assertEqual(self.post(f"/bench/{run_id}/{act}", here=here, **form).status_code, 409, (act, here))


class NumbersNobodyReads(PageTest):
    def test_typed_readings_that_no_meter_shows_are_refused(self) -> None:
        run_id = self.begin_typed_run()
        for text in ("1_0", "1e37", "1e30 V", "0x10", "²"):
            answer = self.post(f"/bench/{run_id}/readings", here=self.here(run_id), reading=text)
            self.assertEqual(answer.status_code, 422, text)
        with self.workshop.desk(run_id).book() as book:
            self.assertEqual(book.seen.kept, [])


if __name__ == "__main__":
    unittest.main()
