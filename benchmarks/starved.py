"""The Corvane with meters that answer late or in bunches: touches that an adjuster took, and how many in a row with one advice."""

from collections import Counter
from collections.abc import Iterator

from tests.jobs.test_starved import Starved
from tests.support import starved

SEEDS = range(1, 5)
PHASES = ("intermediate frequency", "oscillator and dial", "front end")


class _Corvane(Starved):
    def runTest(self) -> None:  # noqa: N802
        """Nothing by itself."""


def run() -> Iterator[str]:
    ended = Counter[str]()
    for seed in SEEDS:
        for name, hold_up in (("late", starved.late), ("bunched", starved.bunched)):
            bench = _Corvane()
            bench.setUp()
            try:
                bench.go_through(hold_up(bench.workshop.clock, seed=seed), "R40-0611", *PHASES)
                ended["through"] += 1
                yield f"{name}, seed {seed}: through; in a row with one advice {bench.most_in_a_row}, on one adjuster {bench.most_touches}"
            except AssertionError as fault:
                ended["not"] += 1
                yield f"{name}, seed {seed}: {fault}"
            finally:
                bench.doCleanups()
    yield f"{ended['through']} of {ended.total()} went through all phases"
