"""What is heard in made recordings, at the rates that sound cards have: the figures that were mixed come out."""

import math
import unittest
from typing import Any

import numpy as np

from calm_needle.core.physics.heard import beat, hear
from calm_needle.core.physics.sine_fit import Recording, sinad
from calm_needle.errors import NoAnswer, OutOfRange

RATES = (8e3, 22.05e3, 44.1e3)


def mixed(
    *, rate: float = 16e3, seconds: float = 1.0, tone_hz: float = 400.3, tone: float = 0.2, noise: float = 0.0, seed: int = 0, **more: float
) -> Recording:
    """A recording of a tone (amplitude), of others (hz_100=0.01: a sine at 100 Hz), and of hiss (r.m.s.)."""
    rng = np.random.default_rng(seed)
    t = np.arange(int(rate * seconds)) / rate
    x: Any = tone * np.sin(2.0 * math.pi * tone_hz * t + 0.4) + noise * rng.normal(size=len(t))
    for name, amplitude in more.items():
        x = x + amplitude * np.sin(2.0 * math.pi * float(name.removeprefix("hz_").replace("_", ".")) * t + 1.1)
    return Recording(rate, x)


def sine_db(amplitude: float) -> float:
    return 20.0 * math.log10(amplitude)


class Hearing(unittest.TestCase):
    def test_the_tone_is_as_loud_as_it_was_mixed(self) -> None:
        for rate in RATES:
            for tone_hz in (300.0, 400.3, 1000.0):
                for seed in range(3):
                    noise = 0.2 / math.sqrt(2.0) / 10.0  # 20 dB below
                    found = hear(
                        recording=mixed(rate=rate, tone_hz=tone_hz, noise=noise, seed=seed), tone_hz=400.0 if tone_hz == 400.3 else tone_hz
                    )
                    self.assertAlmostEqual(found.tone_dbfs, sine_db(0.2), delta=0.15 if rate < 16e3 else 0.1)
                    self.assertAlmostEqual(found.hiss_dbfs, sine_db(math.sqrt(2.0) * noise), delta=0.2)
                    self.assertAlmostEqual(found.signal_to_noise_db, 10.0 * math.log10(1.0 + 100.0), delta=0.25)

    def test_sinad_is_the_calculator_s_to_the_last_digit(self) -> None:
        for seed, noise in enumerate((0.06, 0.02, 0.002)):
            recording = mixed(noise=noise, seed=seed, hz_800_6=0.004)
            found, same = hear(recording=recording), sinad(recording=recording)
            self.assertEqual(
                (found.sinad_db, found.distortion_percent, found.tone_hz), (same.sinad_db, same.distortion_percent, same.tone_hz)
            )

    def test_sinad_from_6_to_40_db(self) -> None:
        for wanted_db in (6.0, 12.0, 40.0):
            rest = 0.2 / math.sqrt(2.0) / math.sqrt(10.0 ** (wanted_db / 10.0) - 1.0)
            for rate in RATES:
                found = hear(recording=mixed(rate=rate, seconds=0.5, noise=rest, seed=int(wanted_db)), tone_hz=400.0)
                self.assertAlmostEqual(found.sinad_db, wanted_db, delta=0.3, msg=f"{wanted_db} dB at {rate:.0f}")

    def test_hum_and_harmonics_are_told_from_hiss_and_from_each_other(self) -> None:
        found = hear(recording=mixed(noise=0.001, hz_50=0.02, hz_100=0.01, hz_800_6=0.006))
        self.assertAlmostEqual(found.hum_dbfs, sine_db(0.02), delta=0.05)
        self.assertAlmostEqual(found.hum_twice_dbfs, sine_db(0.01), delta=0.1)
        self.assertAlmostEqual(found.distortion_percent, 3.0, delta=0.05)
        self.assertAlmostEqual(found.hiss_dbfs, sine_db(math.sqrt(2.0) * 0.001), delta=0.2)
        other = hear(recording=mixed(noise=0.001, hz_60=0.02), mains_hz=60.0)
        self.assertAlmostEqual(other.hum_dbfs, sine_db(0.02), delta=0.05)
        self.assertFalse(found.quiet)
        self.assertTrue(hear(recording=mixed(tone=3e-4, noise=1e-6)).quiet)

    def test_what_cannot_be_judged_is_refused(self) -> None:
        clipped = Recording(48e3, np.clip(8.0 * mixed().samples, -1.0, 1.0))
        for recording, words in ((Recording(48e3, np.zeros(9600)), "silent"), (clipped, "clipped"), (mixed(seconds=0.0004), "too few")):
            with self.assertRaises(NoAnswer) as caught:
                hear(recording=recording)
            self.assertIn(words, str(caught.exception))

    def test_a_harmonic_at_the_edge_of_the_band_is_left_out(self) -> None:
        for tone_hz in (999.99, 1000.0, 1333.3):  # its fourth, or third, is at half the rate
            found = hear(recording=mixed(rate=8e3, tone_hz=tone_hz, noise=0.002), tone_hz=tone_hz)
            self.assertLess(found.distortion_percent, 1.0)
            self.assertAlmostEqual(found.total_dbfs, sine_db(0.2), delta=0.1)


class WhatIsNoTone(unittest.TestCase):
    """What drifts is followed; what is no tone, or not the one that was meant, is not taken for it."""

    def drifting(self, hz_per_s: float, *, noise_db: float = -57.0) -> Recording:
        rng, rate = np.random.default_rng(4), 48e3
        t = np.arange(48000) / rate
        x = 0.5 * np.sin(2.0 * math.pi * (400.0 * t + hz_per_s * t * t / 2.0))
        return Recording(rate, x + 0.5 / math.sqrt(2.0) * 10.0 ** (noise_db / 20.0) * rng.normal(size=len(t)))

    def test_a_drifting_tone_is_followed_and_its_drift_told(self) -> None:
        for hz_per_s in (0.0, 0.5, 2.0, 10.0, -5.0):
            found = hear(recording=self.drifting(hz_per_s))
            self.assertAlmostEqual(found.sinad_db, 57.0, delta=0.3, msg=str(hz_per_s))
            self.assertAlmostEqual(found.drift_hz, abs(hz_per_s), delta=0.3)

    def test_hum_is_not_the_tone_that_nobody_named(self) -> None:
        louder = mixed(tone_hz=1000.0, tone=0.05, hz_100=0.3, noise=1e-3)
        self.assertAlmostEqual(sinad(recording=louder).tone_hz, 1000.0, delta=0.5)
        self.assertAlmostEqual(sinad(recording=louder, tone_hz=100.0).tone_hz, 100.0, delta=0.5)
        with self.assertRaisesRegex(NoAnswer, "only hum at 100 Hz"):
            sinad(recording=mixed(tone=0.0, hz_100=0.3, noise=1e-3))

    def test_noise_alone_has_no_distortion(self) -> None:
        for seed in range(20):
            noise = mixed(tone=0.0, noise=0.1, seed=seed)
            with self.assertRaisesRegex(NoAnswer, "no tone stands out"):
                hear(recording=noise)
            self.assertIsNone(hear(recording=noise, tone_hz=400.0).distortion_percent)

    def test_flat_tops_are_noticed_below_full_scale_too_and_a_sine_has_none(self) -> None:
        wave = mixed(tone=0.8, noise=0.003)
        self.assertFalse(hear(recording=wave).flat_tops)
        self.assertTrue(hear(recording=Recording(wave.rate_hz, np.clip(wave.samples, -0.6, 0.6) * 0.5)).flat_tops)


class Beats(unittest.TestCase):
    def test_the_pitch_is_known_to_a_tenth_of_a_hertz_in_two_seconds_and_says_how_surely(self) -> None:
        covered = count = 0
        for rate in RATES:
            for pitch in (31.7, 123.45, 812.3, 2500.1):
                for seed in range(3):
                    noise = 0.1 / math.sqrt(2.0) / 10.0
                    found = beat(recording=mixed(rate=rate, seconds=2.0, tone_hz=pitch, tone=0.1, noise=noise, seed=seed))
                    self.assertLess(abs(found.pitch_hz - pitch), 0.1)
                    covered += abs(found.pitch_hz - pitch) <= found.sure_hz
                    count += 1
        self.assertGreaterEqual(covered, 0.95 * count)

    def test_hiss_alone_is_no_beat_and_what_is_asked_for_wrongly_is_said(self) -> None:
        with self.assertRaises(NoAnswer) as caught:
            beat(recording=mixed(tone=0.0, noise=0.1))
        self.assertIn("no beat stands out", str(caught.exception))
        with self.assertRaises(OutOfRange):
            beat(recording=mixed(), low_hz=500.0, high_hz=100.0)
        with self.assertRaises(NoAnswer):
            beat(recording=mixed(seconds=0.01))

    def test_the_strongest_between_the_limits_is_meant(self) -> None:
        recording = mixed(tone_hz=100.0, tone=0.3, hz_740_2=0.1, seconds=2.0)
        self.assertAlmostEqual(beat(recording=recording, low_hz=300.0).pitch_hz, 740.2, delta=0.2)
