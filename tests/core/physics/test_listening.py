"""Sound as it comes in blocks: the level of the tone, as it was mixed, at the rates that audio inputs have."""

import math
import unittest

import numpy as np

from calm_needle.core.physics.heard import beat, hear
from calm_needle.core.physics.listening import Listener, averaged, dbfs
from calm_needle.core.physics.sine_fit import Recording
from calm_needle.errors import NoAnswer, OutOfRange
from tests.core.physics.test_heard import mixed

RATES = (8e3, 11.025e3, 16e3, 44.1e3, 48e3, 96e3)


def listened(recording: Recording, *, tone_hz: float | None = 400.0) -> Listener:
    """A listener who heard a recording in blocks of fifty milliseconds."""
    listener = Listener(rate_hz=recording.rate_hz, tone_hz=tone_hz)
    for block in np.array_split(recording.samples, max(1, round(len(recording.samples) / recording.rate_hz / 0.05))):
        listener.take(block)
    return listener


class TheTone(unittest.TestCase):
    def test_its_level_is_within_a_twentieth_of_a_decibel_above_20_db(self) -> None:
        for rate in RATES:
            for tone_hz in (300.0, 412.0, 1000.0):
                noise = 0.2 / math.sqrt(2.0) / 10.0 ** (26.0 / 20.0)
                heard = [
                    listened(mixed(rate=rate, tone_hz=tone_hz, noise=noise, seed=seed), tone_hz=0.97 * tone_hz).level() for seed in range(5)
                ]
                mean = sum(level.tone_dbfs for level in heard) / len(heard)
                self.assertAlmostEqual(mean, dbfs(0.2), delta=0.05, msg=f"{tone_hz} at {rate}")
                self.assertAlmostEqual(heard[0].tone_hz, tone_hz, delta=1.0)

    def test_another_louder_tone_is_not_taken_for_it(self) -> None:
        level = listened(mixed(rate=44.1e3, tone=0.05, hz_1000=0.3)).level()
        self.assertAlmostEqual(level.tone_dbfs, dbfs(0.05), delta=0.2)
        self.assertGreater(level.total_dbfs, dbfs(0.29))

    def test_a_sound_that_was_interrupted_is_not_taken_for_a_fainter_one(self) -> None:
        for lost in (37, 55, 401):
            whole = mixed(rate=44.1e3, tone=0.2, noise=0.002)
            for at in (2000, 3500, 6000):
                cut = np.concatenate([whole.samples[: -at - lost], whole.samples[-at:]])
                level = listened(Recording(44.1e3, cut)).level()
                self.assertAlmostEqual(level.tone_dbfs, dbfs(0.2), delta=0.2, msg=f"{lost} lost {at} ago")
        listener = listened(mixed(rate=44.1e3))
        listener.begin_anew()
        with self.assertRaisesRegex(NoAnswer, "too little"):
            listener.level()

    def test_what_was_filled_with_zeros_is_no_level(self) -> None:
        """A gap anywhere, of any length, in blocks of any size: the level is that of the tone, or nothing is said of it."""
        whole, rng = mixed(rate=48e3, tone=0.2, noise=0.002, seconds=1.0).samples, np.random.default_rng(1)
        said = 0
        for _ in range(120):
            x = whole.copy()
            begin, length = int(rng.integers(0, 47_000)), int(rng.integers(200, 20_000))
            x[begin : begin + length] = 0.0
            listener, at = Listener(rate_hz=48e3, tone_hz=400.0), 0
            while at < len(x):
                n = int(rng.integers(500, 6000))
                listener.take(x[at : at + n])
                at += n
                try:
                    level = listener.level()
                except NoAnswer:
                    continue
                said += 1
                self.assertAlmostEqual(level.tone_dbfs, dbfs(0.2), delta=0.2)
        self.assertGreater(said, 400)

    def test_what_averaging_takes_is_known(self) -> None:
        for every in (1, 2, 5, 12):
            t = np.arange(48000) / 48e3
            slow = np.sin(2.0 * math.pi * 1000.0 * t).reshape(-1, every).mean(axis=1)
            self.assertAlmostEqual(math.sqrt(2.0) * float(np.std(slow)), averaged(1000.0, every=every, rate_hz=48e3), delta=1e-3)

    def test_clipping_and_quiet_are_said_and_silence_and_too_little_refused(self) -> None:
        loud = mixed(rate=48e3, tone=1.5)
        self.assertTrue(listened(Recording(48e3, np.clip(loud.samples, -1.0, 1.0))).level().clips)
        self.assertTrue(listened(mixed(rate=48e3, tone=5e-4)).level().quiet)
        with self.assertRaisesRegex(NoAnswer, "silence"):
            listened(Recording(48e3, np.zeros(48000))).level()
        with self.assertRaisesRegex(NoAnswer, "too little"):
            listened(mixed(rate=48e3, seconds=0.1)).level()
        for rate in (4e3, 400e3):
            with self.assertRaises(OutOfRange):
                Listener(rate_hz=rate)
        with self.assertRaises(OutOfRange):
            Listener(rate_hz=48e3).take(np.zeros(48001))


class AllOfIt(unittest.TestCase):
    def test_it_is_what_the_same_samples_give_as_a_recording(self) -> None:
        recording = mixed(rate=44.1e3, seconds=2.0, noise=0.01, hz_800_6=0.01, hz_50=0.005)
        listener = listened(recording)
        last = Recording(44.1e3, recording.samples[-22050:])
        self.assertEqual(listener.hear(), hear(recording=last, tone_hz=400.0))
        self.assertAlmostEqual(listener.beat().pitch_hz, beat(recording=recording).pitch_hz, delta=0.01)

    def test_a_new_sound_takes_the_place_of_the_old(self) -> None:
        listener = listened(mixed(rate=16e3, seconds=2.0))
        quieter = mixed(rate=16e3, seconds=0.3, tone=0.02)
        for block in np.array_split(quieter.samples, 6):
            listener.take(block)
        self.assertAlmostEqual(listener.level().tone_dbfs, dbfs(0.02), delta=0.05)


if __name__ == "__main__":
    unittest.main()
