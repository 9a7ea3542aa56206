"""The ears' page without a browser: a beat that is counted before and after, what is heard kept with a job, the practice set's sound."""

import math

import numpy as np

from calm_needle.store import register
from calm_needle.work.jobs import recordings
from tests.support.client import PageTest

RATE = 16_000
CARRIER = {"name": "Tarn Hill", "known": "909k", "within": "10"}


class TheEars(PageTest):
    def hear(self, tone_hz: float, *, seconds: float = 2.5, number: int = 0) -> None:
        t = np.arange(int(seconds * RATE)) / RATE
        x = 0.2 * np.sin(2.0 * math.pi * tone_hz * t) + 0.01 * np.random.default_rng(1).standard_normal(len(t))
        samples = (x * 32767.0).astype("<i2").tobytes()
        self.get("/ears")
        for i in range(0, len(samples), 1600):
            answer = self.client.post(
                f"/ears/samples?rate={RATE}&label=line&number={number + i // 2}&tone=",
                data=samples[i : i + 1600],
                headers={"X-CSRFToken": self.token, "Content-Type": "application/octet-stream", "Accept": "application/json"},
            )
            self.assertEqual(answer.status_code, 200)
        self.workshop.equipment.ears._due_beat_s = 0.0  # what comes next is judged at once
        self.workshop.equipment.ears._due_hear_s = math.inf
        self.client.post(
            f"/ears/samples?rate={RATE}&label=line&number={number + len(samples) // 2}&tone=",
            data=samples[:1600],
            headers={"X-CSRFToken": self.token, "Content-Type": "application/octet-stream"},
        )

    def test_a_beat_is_counted_and_tells_its_side_after_what_makes_it_was_raised(self) -> None:
        self.hear(212.6)
        counted = self.post("/ears/count", json=True).get_json()
        self.assertAlmostEqual(float(counted["pitch"]), 212.6, delta=0.2)
        self.hear(198.1)
        told = self.post("/ears/side", json=True, **CARRIER, pitch=counted["pitch"], sure=counted["sure"]).get_json()
        self.assertIn("Yours runs below the carrier: at 908.787", told["words"])
        kept = self.post("/instruments/register/generator/frequency", **told["check"])
        self.assertEqual(kept.status_code, 303)
        with self.workshop.store() as conn:
            (row,) = [c for c in register.checks(conn) if c.quantity == "frequency"]
        self.assertAlmostEqual(row.found_off or 0.0, -233.9, delta=0.6)
        self.assertIn("Tarn Hill, 909.0000", row.against)

    def test_what_tells_no_side_is_said(self) -> None:
        self.hear(212.6)
        counted = self.post("/ears/count", json=True).get_json()
        answer = self.post("/ears/side", json=True, **CARRIER, pitch=counted["pitch"], sure=counted["sure"])
        self.assertEqual(answer.status_code, 422)
        self.assertIn("tells no side", answer.get_json()["words"])
        answer = self.post("/ears/side", json=True, **(CARRIER | {"known": "much"}), pitch="212.6", sure="0.1")
        self.assertEqual(answer.status_code, 422)

    def test_where_nobody_listens_nothing_is_counted(self) -> None:
        answer = self.post("/ears/count", json=True)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("press Listen", answer.get_json()["words"])

    def test_what_is_heard_is_kept_with_a_job(self) -> None:
        self.hear(400.0)
        self.assertEqual(self.post("/ears/keep", job="3", seconds="2", words="before").status_code, 303)
        with self.workshop.store() as conn:
            (kept,) = recordings.kept_of(conn, 3)
        self.assertAlmostEqual(kept.figures["tone_hz"], 400.0, delta=0.1)
        page = self.get("/jobs/3/recordings").get_data(as_text=True)
        self.assertIn("before", page)
        sound = self.get(f"/jobs/3/recordings/{kept.row.id}.wav")
        self.assertEqual(sound.data[:4], b"RIFF")
        part = self.get(f"/jobs/3/recordings/{kept.row.id}.wav", headers={"Range": "bytes=0-99"})
        self.assertEqual((part.status_code, len(part.data)), (206, 100))
        answer = self.post("/ears/keep", job="3", seconds="2", words="")
        self.assertEqual(answer.status_code, 422)
        self.assertIn('id="ears-words-fault"', answer.get_data(as_text=True))
        self.assertIn("Recordings", self.get("/jobs/3/record").get_data(as_text=True))
        self.assertEqual(self.post(f"/jobs/3/recordings/{kept.row.id}/delete").status_code, 303)
        self.assertEqual(self.get(f"/jobs/3/recordings/{kept.row.id}.wav").status_code, 404)

    def test_without_a_practice_set_there_is_nothing_to_hear_of_it(self) -> None:
        self.get("/")
        answer = self.post("/ears/loudspeaker?rate=48000&samples=4800", json=True)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("no practice set on the bench", answer.get_json()["words"])
        self.assertEqual(self.post("/ears/loudspeaker?rate=48000&samples=9999999", json=True).status_code, 422)
