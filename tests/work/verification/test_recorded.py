"""A sensitivity out of a recording: the level at which its SINAD would be the definition's, or the level to record at."""

import io
import math
import unittest

import numpy as np
from scipy.io import wavfile

from calm_needle.errors import FieldsRefused
from calm_needle.work.verification import measuring, recorded
from tests.support.demo import DemoStore

TYPED = 3
RATE = 48_000


def tone(sinad_db: float, *, hertz: float = 400.0, seconds: float = 3.0, loud: float = 0.2) -> bytes:
    """A tone in noise, as a set would give it, as WAV."""
    t = np.arange(int(RATE * seconds)) / RATE
    signal = loud * np.sin(2 * np.pi * hertz * t)
    rest = loud / math.sqrt(2.0) / math.sqrt(10.0 ** (sinad_db / 10.0) - 1.0)
    out = io.BytesIO()
    wavfile.write(out, RATE, (signal + np.random.default_rng(1).normal(0.0, rest, len(t))).astype(np.float32))
    return out.getvalue()


class OutOfARecording(DemoStore):
    def keep(self, content: bytes, **form: str) -> measuring.Taken:
        asked = {"band": "MW", "level_v": "10u", "coupling": "dummy aerial", "cover": "on", **form}
        kept = recorded.from_recording(self.conn, TYPED, asked, content, name="a.wav")
        return next(t for t in measuring.taken(self.conn, TYPED) if t.id == kept)

    def refused(self, content: bytes, **form: str) -> dict[str, str]:
        with self.assertRaises(FieldsRefused) as caught:
            self.keep(content, **form)
        self.assertEqual(measuring.taken(self.conn, TYPED), [])
        return dict(caught.exception.faults)

    def test_at_the_criterion_the_level_is_the_one_it_stood_at(self) -> None:
        found = self.keep(tone(12.0))
        self.assertAlmostEqual(20 * math.log10((found.main.value or 0.0) / 10e-6), 0.0, delta=0.2)
        self.assertEqual((found.source, found.values["definition"]), ("recording", "sinad"))

    def test_beside_it_the_level_is_moved_and_the_farther_the_less_sure(self) -> None:
        near, far = self.keep(tone(13.0)), self.keep(tone(16.5))
        self.assertAlmostEqual(20 * math.log10((near.main.value or 0.0) / 10e-6), -1.0 / 0.95, delta=0.2)
        self.assertAlmostEqual(20 * math.log10((far.main.value or 0.0) / 10e-6), -4.5 / 0.95, delta=0.2)
        self.assertGreater(far.sigma or 0.0, near.sigma or 0.0)
        self.assertAlmostEqual(far.conditions["recorded_at_v"], 10e-6)

    def test_too_far_from_it_one_is_told_the_level_to_record_at(self) -> None:
        said = self.refused(tone(31.0))["recording"]
        self.assertIn("Turn the level down by about 20 dB, to 1.0\u2009µV, and record again.", said)
        self.assertIn("up by about", self.refused(tone(3.0))["recording"])

    def test_another_tone_silence_no_recording_and_no_level_are_refused(self) -> None:
        self.assertIn("Its tone is at 1.000\u2009kHz", self.refused(tone(12.0, hertz=1000.0))["recording"])
        self.assertIn("silent", self.refused(tone(12.0, loud=0.0))["recording"])
        self.assertIn("recording", self.refused(b"RIFF, not"))
        self.assertIn("level_v", self.refused(tone(12.0), level_v="loud"))
        self.assertIn("coupling", self.refused(tone(12.0), coupling=""))


if __name__ == "__main__":
    unittest.main()
