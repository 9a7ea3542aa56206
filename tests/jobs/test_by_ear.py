"""The Halvern's strip aligned by ear: its loudspeaker is listened to, and nothing else reads the output."""

from calm_needle.bench.ears import Ears
from tests.support.apprentice import Apprentice
from tests.support.listening import listen_to_the_practice_set
from tests.support.pages import Pages
from tests.support.whole_job import AFTER_ONE_ROUND, WholeJob

TOUCH_S = 0.4  # what is heard comes later than what is, and a hand that goes by it goes slower


class TheHalvern(WholeJob):
    def test_its_if_strip_is_aligned_by_ear_by_following_the_advice(self) -> None:
        bench = self.begin(self.job_of("20318"))
        bench.touch_s = TOUCH_S
        listen_to_the_practice_set(self.workshop)
        self.workshop.clock.wait(1.0)
        self.assertEqual(self.post("/ears/led", led="on").status_code, 303)
        bench.wait_until(lambda: any(s.kind == Ears.name and s.state == "ready" for s in self.workshop.live.states))
        apprentice = Apprentice(bench)
        apprentice.go_through(rounds=1)
        truth = self.workshop.live.truth()
        assert truth is not None
        far_hz, far_db = AFTER_ONE_ROUND
        self.assertLess(abs(truth.peak_hz - 468e3), far_hz)
        self.assertLess(truth.loss_db - truth.best_loss_db, far_db)
        self.assertLessEqual(
            {"Hands off for three seconds", "Rising", "Highest so far is passed", "The lower core of IFT1 slips"}, apprentice.heard
        )
        bench.press("Enter")
        with self.workshop.store() as conn:
            read_by = {row[0] for row in conn.execute("SELECT DISTINCT instrument FROM reading WHERE run_id = (SELECT max(id) FROM run)")}
        self.assertEqual(read_by, {"ears"})
        record = Pages(self).open(f"/runs/{bench.run_id}/record").text
        self.assertIn("dB at equal generator level", record)
        self.assertIn("Wax was cleared from the lower core of IFT1.", record)
