"""The peak watch on streams of real benches: what it calls, and what fools it, by what is known of the hand."""

import statistics
from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from calm_needle.work.watching import read_stream, summary
from tests.support.needle_streams import CLASSES, streams
from tests.support.slow_sine import BEATS, beating

SEEDS = 400
PORTION = 100
ASIDE = ("hum-beat", "swinging-on-the-flank")  # where nothing is known these look like a crest crossed twice


@dataclass
class Tally:
    """How many streams there were of a kind, and what was said of them."""

    peakless: int = 0
    peakless_proven: int = 0
    peakless_taken: int = 0
    peakless_sent_back: int = 0
    peakless_not_aside: int = 0
    peakless_not_aside_taken: int = 0
    peaks: int = 0
    peaks_told: int = 0
    twice: int = 0
    twice_proven: int = 0
    twice_taken: int = 0
    proven: int = 0
    late_s: list[float] = field(default_factory=list)

    def add(self, name: str, truth: dict[str, Any], said: dict[str, Any]) -> None:
        told, proven, taken = (said[k] is not None for k in ("past_s", "proven_s", "take_s"))
        self.proven += proven
        if not truth["peak"]:
            self.peakless += 1
            self.peakless_proven += proven
            self.peakless_taken += taken
            self.peakless_sent_back += told
            self.peakless_not_aside += name not in ASIDE
            self.peakless_not_aside_taken += taken and name not in ASIDE
            return
        self.peaks += 1
        self.peaks_told += told
        if told and truth["passed_s"] is not None:
            self.late_s.append(said["past_s"] - truth["passed_s"])
        if truth["twice_s"] is not None:
            self.twice += 1
            self.twice_proven += proven
            self.twice_taken += taken


def judged(name: str, known: str, seeds: Iterable[int]) -> list[tuple[dict[str, Any], dict[str, Any]]]:
    """Return truth and what was said of each stream of a class."""
    return [(s["truth"], summary(read_stream(s))) for s in streams(name, seeds=seeds, known=known)]


def beats(name: str, known: str, seeds: Iterable[int]) -> int:
    """How many of the slow beats of a kind were called a proven peak."""
    return sum(beating(name, seed, known)["proven_s"] is not None for seed in seeds)


def run() -> list[str]:
    """Return the figures of the table, as measured."""
    tallies = {"known": Tally(), "nothing": Tally()}
    asked = [(n, k, range(i, i + PORTION)) for n in CLASSES for k in ("turns", "way", "nothing") for i in range(0, SEEDS, PORTION)]
    with ProcessPoolExecutor(2) as workers:
        for (name, known, _), results in zip(asked, workers.map(judged, *zip(*asked, strict=True)), strict=True):
            for truth, said in results:
                tallies["nothing" if known == "nothing" else "known"].add(name, truth, said)
        slow = [(n, k, range(i, i + PORTION)) for n in BEATS for k in ("turns", "way") for i in range(0, SEEDS, PORTION)]
        in_step = sum(workers.map(beats, *zip(*slow, strict=True)))
    known, nothing = tallies["known"], tallies["nothing"]
    return [
        f"slow beats, in step with the hand or not ({len(slow) * PORTION}): proven {in_step} (none)",
        f"peakless, turns or way known ({known.peakless}): proven {_share(known.peakless_proven, known.peakless)} (≤ 0.1 %), "
        f"“take it” {_share(known.peakless_taken, known.peakless)} (≤ 0.1 %), "
        f"sent back for nothing {_share(known.peakless_sent_back, known.peakless)} (≤ 8 %)",
        f"true peaks, turns or way known ({known.peaks}): told to come back {_share(known.peaks_told, known.peaks)} (≥ 98 %), "
        f"median {statistics.median(known.late_s):.2f} s after the second fall is there (≤ 2.5 s)",
        f"crossed twice, turns or way known ({known.twice}): proven {_share(known.twice_proven, known.twice)} (≥ 95 %), "
        f"“take it” {_share(known.twice_taken, known.twice)}",
        f"nothing known: proven {nothing.proven} (never), peakless offered "
        f"{_share(nothing.peakless_not_aside_taken, nothing.peakless_not_aside)} of {nothing.peakless_not_aside} (≤ 1 %), "
        f"crossed twice offered {_share(nothing.twice_taken, nothing.twice)} of {nothing.twice} (≥ 90 %)",
    ]


def _share(part: int, of: int) -> str:
    return f"{100.0 * part / max(1, of):.2f} %"
