"""How often the truth lies within a stated uncertainty, kind by kind, and how often a verdict at the limit is wrong."""

import math
import random
import statistics
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator
from importlib import resources
from typing import Any, NamedTuple

from benchmarks import kept
from calm_needle.core.constants import K95
from calm_needle.core.verification.level_for_ratio import Tried, level_of, next_level
from calm_needle.core.verification.measures import MEASURES, Figure, Limit, judge
from calm_needle.work.verify_rehearsals import verify

DOSSIERS = ("halvern-6b", "corvane-r-40", "dunlin-3", "pellow-scout")
SEEDS = 100
SEARCHES, PORTION = 1000, 100
# Scatter, wander, its memory, drift a try (dB): what a level search has to hold its claim under.
UNSTEADY = (
    *((s, 0.0, 0.0, 0.0) for s in (0.1, 0.3, 0.5, 1.0)),
    *((0.1, 0.3, m, 0.0) for m in (0.7, 0.9)),
    *((s, 0.0, 0.0, 0.1) for s in (0.1, 0.3, 1.0)),
)
AT_LIMIT, SIGMA = 20000, 0.3


class Task(NamedTuple):
    """One verification of one true set."""

    dossier: str
    seed: int


class Portion(NamedTuple):
    """So many level searches under one unsteadiness."""

    unsteady: tuple[float, float, float, float]
    first: int


def figures(task: Task) -> Iterable[kept.Row]:
    """Return the lines of one verification."""
    content = resources.files("calm_needle.demo").joinpath(f"dossiers/{task.dossier}.json").read_bytes()
    return list(verify(content, name=f"{task.dossier}.json", seed=task.seed))


def off_by(row: kept.Row) -> float:
    """How far a figure lies from the truth, in the unit of its uncertainty."""
    return float(20.0 * math.log10(row["value"] / row["truth"]) if row["unit"] == "V" else row["value"] - row["truth"])


def searched(portion: Portion) -> Iterable[kept.Row]:
    """Yield the result of each level search: its error at the last try (dB), its stated uncertainty, the number of tries used."""
    scatter, wander, memory, drift = portion.unsteady
    for seed in range(portion.first, portion.first + PORTION):
        rng = random.Random(f"{portion.unsteady} {seed}")
        true_db, wandered_db, tried = rng.uniform(-100.0, -70.0), rng.gauss(0.0, wander), list[Tried]()
        while level := next_level(tried, wanted_db=10.0, slope=(1.0, 0.15), least_v=1e-7, most_v=0.1, first_v=1e-4):
            if tried:
                true_db += drift
                wandered_db = memory * wandered_db + math.sqrt(1.0 - memory**2) * rng.gauss(0.0, wander)
            apart = 10.0 + 20.0 * math.log10(level) - true_db + wandered_db + rng.gauss(0.0, scatter)
            tried.append(Tried(level, apart if apart > 0.0 else abs(rng.gauss(0.0, 0.3))))
        found = level_of(tried, wanted_db=10.0, slope=(1.0, 0.15))
        if found:
            yield {"off": 20.0 * math.log10(found.level_v) - (true_db - wandered_db), "u95": found.u95_db, "near": found.near}


def wrong_passes(beyond: float) -> float:
    """The share of sets so far beyond their limit (in uncertainties) that are passed, by measuring each with an error of its own."""
    rng, limit = random.Random(5), Limit("20 dB at least", least=20.0)
    truth = 20.0 - beyond * K95 * SIGMA
    verdicts = (judge(Figure("ratio", truth + rng.gauss(0.0, SIGMA), "dB"), limit, u95=K95 * SIGMA) for _ in range(AT_LIMIT))
    return sum(v.state == "good" for v in verdicts) / AT_LIMIT


def run() -> Iterator[str]:
    """Yield the figures of the table, as measured."""
    by_kind: defaultdict[str, list[dict[str, Any]]] = defaultdict(list)
    for row in kept.rows("verify", [Task(d, s) for s in kept.seeds(SEEDS) for d in DOSSIERS], figures):
        by_kind[row["measure"] + (f", {row['definition']}" if row["measure"] == "sensitivity" else "")].append(row)
    for kind, lines in by_kind.items():
        inside = sum(abs(off_by(r)) <= r["u95"] for r in lines)
        verdicts = Counter(r["verdict"] for r in lines)
        wrong = sum(r["verdict"] == "pass" and _beyond(r) for r in lines)
        said = ", ".join(f"{n} {v}" for v, n in verdicts.items())
        yield f"{kind}: the truth within {_share(inside, len(lines))} of {len(lines)} (93–98 %); {said}; passed wrongly {wrong}"
    for unsteady in UNSTEADY:
        lines = kept.rows(
            f"level-search-{'-'.join(map(str, unsteady))}", [Portion(unsteady, i) for i in range(0, SEARCHES, PORTION)], searched
        )
        inside = sum(abs(r["off"]) <= r["u95"] for r in lines)
        possible = K95 * statistics.median(unsteady[0] / math.sqrt(r["near"]) for r in lines)
        ratio = statistics.median(r["u95"] for r in lines) / possible
        named = "scatter {} dB, wander {} dB (memory {}), drift {} dB a try".format(*unsteady)
        yield f"level search, {named}: within {_share(inside, len(lines))} (93–98 %), its ± {ratio:.2f} times scatter by √n (≤ 1.5)"
    at, beyond = (100.0 * wrong_passes(b) for b in (0.0, 0.25))
    yield f"at the limit passed {at:.1f} % (≤ 3.5), at a quarter of ± beyond {beyond:.1f} % (≤ 2)"


def _beyond(row: kept.Row) -> bool:
    """Whether the truth misses the limit that a figure was held against."""
    if row["limit"] is None:
        return False
    return bool(row["truth"] < row["limit"] if MEASURES[row["measure"]].better == "more" else row["truth"] > row["limit"])


def _share(part: int, of: int) -> str:
    return f"{100.0 * part / max(1, of):.1f} %"
