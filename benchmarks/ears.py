"""The ears on made recordings: how near tone, SINAD, beat and distortion come at the rates that inputs have, and what listening costs."""

import itertools
import math
import time

import numpy as np

from calm_needle.bench.ears import Ears, Source
from calm_needle.core.physics.heard import beat, hear
from calm_needle.core.physics.listening import Listener
from calm_needle.core.physics.sine_fit import Recording

RATES_HZ = (8e3, 16e3, 22.05e3, 44.1e3, 48e3, 96e3)
TONES_HZ = (300.0, 400.0, 700.0, 1000.0)
SINADS_DB = (6.0, 12.0, 20.0, 30.0, 40.0)
SEEDS = range(8)
TONE, BLOCK_S, LISTENED_S = 0.2, 0.05, 20.0


def run() -> list[str]:
    """Return one line a figure."""
    return [_level(), _sinad(), _beat(), _distortion(), _cost()]


def _sound(rate_hz: float, seconds: float, *, seed: int, noise: float, **tones: float) -> np.ndarray:
    """Sines (hz_400=0.2: amplitude 0.2 at 400 Hz) in hiss (r.m.s.)."""
    t = np.arange(round(rate_hz * seconds)) / rate_hz
    x = noise * np.random.default_rng(seed).normal(size=len(t))
    for name, amplitude in tones.items():
        x = x + amplitude * np.sin(2.0 * math.pi * float(name[3:].replace("_", ".")) * t + seed)
    return x


def _level() -> str:
    off = []
    for rate, tone, seed, snr in itertools.product(RATES_HZ, TONES_HZ, SEEDS, (20.0, 30.0)):
        listener = Listener(rate_hz=rate, tone_hz=0.97 * tone)
        noise = TONE / math.sqrt(2.0) / 10.0 ** (snr / 20.0)
        for block in np.array_split(_sound(rate, 0.5, seed=seed, noise=noise, **{f"hz_{tone}".replace(".", "_"): TONE, "hz_50": 0.01}), 10):
            listener.take(block)
        off.append(abs(listener.level().tone_dbfs - 20.0 * math.log10(TONE)))
    within = sum(o <= 0.05 for o in off)
    return f"tone at 20 and 30 dB (S+N)/N, rates 8 to 96 kHz: within 0.05 dB {within} of {len(off)}, worst {max(off):.3f} dB (≤ 0.05)"


def _sinad() -> str:
    off = []
    for rate, wanted, seed in itertools.product(RATES_HZ, SINADS_DB, SEEDS):
        rest = TONE / math.sqrt(2.0) / math.sqrt(10.0 ** (wanted / 10.0) - 1.0)
        found = hear(recording=Recording(rate, _sound(rate, 2.0, seed=seed, noise=rest, hz_400_3=TONE)), tone_hz=400.0)
        off.append(abs(found.sinad_db - wanted))
    return f"SINAD from 6 to 40 dB: worst {max(off):.2f} dB of {len(off)} (≤ 0.3)"


def _beat() -> str:
    off, beyond = [], 0
    for rate, pitch, seed in itertools.product(RATES_HZ, (37.3, 212.6, 1204.1), SEEDS):
        noise = TONE / math.sqrt(2.0) / 10.0
        sound = _sound(rate, 2.0, seed=seed, noise=noise, **{f"hz_{pitch}".replace(".", "_"): TONE})
        found = beat(recording=Recording(rate, sound))
        off.append(abs(found.pitch_hz - pitch))
        beyond += off[-1] > found.sure_hz
    return f"a beat in 2 s at 20 dB: worst {max(off):.3f} Hz of {len(off)} (≤ 0.1), beyond its stated uncertainty {beyond}"


def _distortion() -> str:
    off = []
    for rate, percent, seed in itertools.product(RATES_HZ, (0.5, 2.0, 8.0), SEEDS):
        more = {"hz_800_6": TONE * percent / 100.0 * 0.8, "hz_1200_9": TONE * percent / 100.0 * 0.6}
        found = hear(recording=Recording(rate, _sound(rate, 1.0, seed=seed, noise=1e-3, hz_400_3=TONE, **more)), tone_hz=400.0)
        off.append(abs(found.distortion_percent - percent))
    return f"distortion from 0.5 to 8 %: worst {max(off):.2f} points of {len(off)} (≤ 0.2)"


def _cost() -> str:
    rate = 48e3
    now = [0.0]
    ears, source, count = Ears(clock=lambda: now[0]), Source("line", rate), 0
    sound = (32767.0 * _sound(rate, LISTENED_S, seed=1, noise=0.01, hz_400_3=TONE)).astype("<i2")
    waited = []
    began = time.process_time()
    for block in np.array_split(sound, round(LISTENED_S / BLOCK_S)):
        at = time.perf_counter()
        ears.take(block.tobytes(), source=source, number=count)
        waited.append(time.perf_counter() - at)
        count += len(block)
        now[0] += BLOCK_S
    spent = time.process_time() - began
    waited.sort()
    return (
        f"listening at 48 kHz: {100.0 * spent / LISTENED_S:.1f} % of one processor (≤ 10), "
        f"a block judged in {1e3 * waited[len(waited) // 2]:.1f} ms, p95 {1e3 * waited[int(0.95 * len(waited))]:.1f} ms"
    )
