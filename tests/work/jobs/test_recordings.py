"""Recordings kept with a job: judged again to the last digit, out and in again, hostile ones refused whole."""

import base64
import hashlib
import io
import json
import math
import wave
from typing import Any

import numpy as np

from calm_needle.bench.ears import Ears, Source
from calm_needle.core.physics.heard import hear
from calm_needle.core.physics.sine_fit import Recording
from calm_needle.errors import FieldsRefused, FileRefused, NotFound
from calm_needle.files.wav import parse_wav
from calm_needle.store import recordings as store
from calm_needle.work.jobs import recordings
from calm_needle.work.workshop import Workshop
from tests.work.jobs.test_job_files import RICH, Stores

RATE = 48_000


def sound(seconds: float = 2.0, *, seed: int = 1, tone: float = 0.2) -> bytes:
    """A tone with its harmonic in hiss, 16 bits."""
    t = np.arange(round(seconds * RATE)) / RATE
    x = tone * np.sin(2.0 * math.pi * 400.0 * t) + 0.01 * np.sin(2.0 * math.pi * 800.0 * t)
    x = x + 0.02 * np.random.default_rng(seed).standard_normal(len(t))
    return (x * 32767.0).astype("<i2").tobytes()


def wav(samples: bytes, *, rate: int = RATE) -> bytes:
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(rate)
        file.writeframes(samples)
    return out.getvalue()


def ears_that_heard(samples: bytes) -> Ears:
    ears, block = Ears(), 4_800
    for i in range(0, len(samples), block):
        ears.take(samples[i : i + block], source=Source("line in", float(RATE)), number=i // 2)
    return ears


class Kept(Stores):
    def keep(self, workshop: Workshop, samples: bytes, words: str = "before") -> recordings.Kept:
        with workshop.store() as conn:
            recordings.keep_heard(conn, ears_that_heard(samples), {"job": str(RICH), "seconds": "2", "words": words})
            return recordings.kept_of(conn, RICH)[-1]

    def test_what_was_heard_is_kept_and_judged_as_the_ears_judge_it(self) -> None:
        samples = sound()
        kept = self.keep(self.here, samples)
        truth = hear(recording=Recording(float(RATE), np.frombuffer(samples, dtype="<i2") / 32768.0), tone_hz=400.0)
        self.assertEqual(kept.figures["sinad_db"], truth.sinad_db)
        self.assertEqual(kept.figures["distortion_percent"], truth.distortion_percent)
        with self.here.store() as conn:
            content = recordings.wav_of(conn, RICH, kept.row.id)
        self.assertEqual(content, wav(samples))
        self.assertEqual(len(parse_wav(content, name="it").samples), 2 * RATE)

    def test_two_lie_side_by_side_and_judged_again_they_are_the_same_to_the_last_digit(self) -> None:
        one, two = self.keep(self.here, sound()), self.keep(self.here, sound(seed=2, tone=0.4), "after")
        with self.here.store() as conn:
            pair = recordings.view(conn, RICH, one=one.row.id, two=two.row.id).pair
        assert pair
        self.assertEqual(pair.again, (True, True))
        apart = {title: line for title, *line in pair.lines}
        self.assertEqual(apart["Its level re full scale"][2], "+6.0 dB")
        self.assertEqual(apart["Tone"][2], "")

    def test_out_and_in_again_it_gives_the_same_bytes_and_the_same_figures(self) -> None:
        self.keep(self.here, sound())
        content = self.out(self.here, RICH)
        job_id = self.take_in(self.there, content)
        self.assertEqual(self.out(self.there, job_id), content)
        with self.here.store() as a, self.there.store() as b:
            (one,), (two,) = recordings.kept_of(a, RICH), recordings.kept_of(b, job_id)
            self.assertEqual(one.figures, two.figures)
            again = recordings.judged(recordings.samples_of(b, two.row), rate_hz=two.row.rate_hz, tone_hz=two.row.tone_hz)
        self.assertEqual(again, one.figures)

    def test_a_file_is_kept_by_its_first_channel(self) -> None:
        with self.here.store() as conn:
            recordings.bring(conn, RICH, {"words": "from a recorder"}, wav(sound()), name="a.wav")
            (kept,) = recordings.kept_of(conn, RICH)
        self.assertAlmostEqual(kept.figures["tone_hz"], 400.0, delta=0.1)
        self.assertEqual(kept.with_reading, "")

    def test_what_cannot_be_kept_is_said_field_by_field_and_nothing_is(self) -> None:
        long = wav(sound(31.0))
        for form, content, fields in (
            ({}, wav(sound()), {"words"}),
            ({"words": "x"}, b"no sound", {"recording"}),
            ({"words": "x"}, wav(sound())[:-100], {"recording"}),
            ({"words": "x"}, long, {"recording"}),
            ({"words": "x"}, wav(sound(), rate=1000), {"recording"}),
            ({"words": "x" * 200}, wav(sound(0.1)), {"recording", "words"}),
        ):
            with self.here.store() as conn, self.assertRaises(FieldsRefused) as refused:
                recordings.bring(conn, RICH, form, content, name="a.wav")
            self.assertEqual(set(refused.exception.faults), fields)
        for form, fields in (({}, {"words", "job", "seconds"}), ({"job": str(RICH), "seconds": "2", "words": "x"}, {"seconds"})):
            with self.here.store() as conn, self.assertRaises(FieldsRefused) as refused:
                recordings.keep_heard(conn, ears_that_heard(sound(0.3)), form)
            self.assertEqual(set(refused.exception.faults), fields)
        with self.here.store() as conn:
            self.assertEqual(recordings.kept_of(conn, RICH), [])

    def test_a_job_keeps_so_much_sound_and_no_more(self) -> None:
        with self.here.store() as conn:
            store.add(
                conn, job_id=RICH, reading_id=None, words="much", input_label="", rate_hz=48e3, tone_hz=None, sha256="", judged="{}",
                parts=["A" * recordings.MOST_LETTERS_OF_A_JOB], at_utc="2026-11-27T08:00:00.000Z",
            )  # fmt: skip
            with self.assertRaisesRegex(FieldsRefused, "as much sound"):
                recordings.bring(conn, RICH, {"words": "one more"}, wav(sound()), name="a.wav")

    def test_what_was_said_in_the_room_can_be_deleted_and_is_gone(self) -> None:
        kept = self.keep(self.here, sound())
        with self.here.store() as conn:
            recordings.delete(conn, RICH, kept.row.id)
            self.assertEqual(store.parts_of(conn, kept.row.id), [])
            with self.assertRaises(NotFound):
                recordings.wav_of(conn, RICH, kept.row.id)

    def test_a_hostile_recording_in_a_file_is_refused_whole(self) -> None:
        self.keep(self.here, sound())
        content = self.out(self.here, RICH)
        before = self.counts(self.there)
        other = base64.b64encode(sound(0.5, seed=9)).decode()
        for spoil, words in (
            (lambda r, p: p[0].__setitem__(1, other), "another digest"),
            (lambda r, p: p[0].__setitem__(1, "no base64!"), "no base64"),
            (lambda r, p: r.__setitem__("rate_hz", 5.0), "between"),
            (lambda r, p: r.__setitem__("judged", {"sinad_db": "much"}), "no figures"),
            (lambda r, p: r.__setitem__("judged", {"evil": 1.0}), "no figures"),
            (lambda r, p: r.__setitem__("words", "x" * 999), "letters"),
            (lambda r, p: p.extend([[1, other]] * 80), "at most 30 s"),
            (lambda r, p: p.clear(), "0 bytes"),
        ):
            with self.subTest(words), self.assertRaisesRegex(FileRefused, words):
                self.take_in(self.there, self.spoilt(content, spoil))
            self.assertEqual(self.counts(self.there), before)

    @staticmethod
    def spoilt(content: bytes, spoil: Any) -> bytes:
        """The file with its recording changed, and a digest that fits: what somebody would send who means it."""
        data = json.loads(content)
        table, parts = data["content"]["tables"]["recording"], data["content"]["tables"]["recording_part"]["rows"]
        row = dict(zip(table["columns"], table["rows"][0], strict=True))
        spoil(row, parts)
        table["rows"][0] = [row[c] for c in table["columns"]]
        body = json.dumps(data["content"])
        digest = hashlib.sha256(body.encode()).hexdigest()
        return f'{{"format":{json.dumps(data["format"])},"version":1,"digest":"{digest}","content":\n{body}\n}}\n'.encode()
