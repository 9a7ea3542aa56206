"""Seeded streams of readings with a known truth, on which the peak watch is judged: by the tests and by the benchmark."""

import math
import random
from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

from calm_needle.core.procedure.watch.peak_watch import PeakWatch

SHAPES = ("monotone", "single", "double", "flat", "stepped")


class Sample(NamedTuple):
    """One reading with the truth behind it."""

    time_s: float
    level_db: float
    turns: float | None
    true_db: float


@dataclass(frozen=True)
class Stream:
    """A made-up stretch of turning: its shape, swing over wander (dB), whether turns are known, whether a true peak is passed."""

    shape: str
    swing_to_wander_db: float
    with_turns: bool
    samples: tuple[Sample, ...]


@dataclass
class Tally:
    """What the watch said of many streams."""

    streams: int = 0
    with_peak: int = 0
    called: int = 0
    called_without_both_falls: int = 0
    false: int = 0
    streams_from_12_db: int = 0
    false_from_12_db: int = 0


def make_stream(seed: int) -> Stream:
    """Return the stream of that seed: half a minute at 20 readings a second, or a minute of typed ones; wander Gaussian."""
    rng = random.Random(seed)
    shape = SHAPES[seed % len(SHAPES)]
    swing = rng.uniform(2.0, 12.0)
    ratio_db = rng.uniform(6.0, 40.0)
    sigma = swing / 10.0 ** (ratio_db / 20.0)
    with_turns = rng.random() < 0.5
    typed = rng.random() < 0.25
    step_s = 1.5 if typed else 0.05
    turns = _turning(rng, steps=shape == "stepped" or rng.random() < 0.3)[:: 15 if typed else 1]
    law = _law(rng, shape, swing if shape not in ("monotone", "stepped") or rng.random() < 0.6 else -swing)
    samples = []
    for i, t in enumerate(turns):
        true = law(t)
        samples.append(Sample(i * step_s, true + rng.gauss(0.0, sigma), t if with_turns else None, true))
    return Stream(shape, ratio_db, with_turns, tuple(samples))


def judge(stream: Stream, tally: Tally) -> None:
    """Let the watch see a stream, and add what it called, and whether that was true, to the tally."""
    watch = PeakWatch()
    tally.streams += 1
    strong = stream.swing_to_wander_db >= 12.0
    tally.streams_from_12_db += strong
    truth = _PeakTruth()
    called = False
    for sample in stream.samples:
        watch.add(level_db=sample.level_db, time_s=sample.time_s, turns=sample.turns)
        truth.add(sample.true_db)
        verdict = watch.verdict()
        if verdict.peak_seen and not called:
            called = True
            tally.called += 1
            tally.called_without_both_falls += min(verdict.fall_before_db, verdict.fall_after_db) < verdict.bar_db
            if not truth.passed:
                tally.false += 1
                tally.false_from_12_db += strong
    tally.with_peak += truth.passed


def _turning(rng: random.Random, *, steps: bool) -> list[float]:
    """Turns over time: a hand that goes one way at a wandering speed, in a glide or in steps with rests between."""
    position, speed, out = 0.0, rng.uniform(0.05, 0.2), []
    rest = 0
    for _ in range(600):
        if steps:
            if rest == 0:
                position += rng.uniform(0.05, 0.25)
                rest = rng.randint(10, 40)
            rest -= 1
        else:
            speed = min(0.3, max(0.02, speed + rng.gauss(0.0, 0.01)))
            position += speed * 0.05
        out.append(position)
    return out


class _Law(NamedTuple):
    kind: str
    swing: float
    centre: float
    width: float

    def __call__(self, t: float) -> float:
        if self.kind in ("monotone", "stepped"):
            return self.swing * math.tanh(max(0.0, t) / self.width)
        if self.kind == "flat":
            return 0.0
        loss = 10.0 * math.log10(1.0 + ((t - self.centre) / self.width) ** 2)
        if self.kind == "double":
            loss = min(loss, 0.25 * self.swing + 10.0 * math.log10(1.0 + ((t - self.centre - 5.0 * self.width) / self.width) ** 2))
        return -min(loss, self.swing)


def _law(rng: random.Random, shape: str, swing: float) -> _Law:
    return _Law(shape, swing, rng.uniform(0.8, 1.8), rng.uniform(0.2, 0.5) if shape in ("single", "double") else rng.uniform(1.0, 3.0))


class _PeakTruth:
    """Whether the truth itself has risen and then fallen."""

    def __init__(self) -> None:
        self._least, self._most, self._after = math.inf, -math.inf, 0.0
        self.passed = False

    def add(self, true_db: float) -> None:
        if true_db > self._most:
            self._most = true_db
        self._least = min(self._least, true_db) if true_db >= self._most else self._least
        if self._most - true_db > 1e-6 and self._most - self._least > 1e-6:
            self.passed = True


def tally_of(seeds: Iterator[int] | range) -> Tally:
    """Return the tally over the streams of these seeds."""
    tally = Tally()
    for seed in seeds:
        judge(make_stream(seed), tally)
    return tally
