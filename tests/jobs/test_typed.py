"""The whole job with no instrument attached: a person reads a meter by eye, turns by feel, and types."""

import itertools
import re

from calm_needle.sim.instruments.millivoltmeter import Millivoltmeter
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from tests.support import halvern
from tests.support.inside_bench import InsideBench
from tests.support.whole_job import WholeJob

MOST_READINGS = 120
SEARCHING, SEEKING_A_NULL = 0.12, 0.2  # turns between two readings
CLOSE, CLOSEST = 0.04, 0.015
NEAR_DB = 0.5  # to go, from where it is turned by hairs


class OwnSet:
    """A receiver on the bench beside the screen, with a meter that the program cannot reach."""

    def __init__(self) -> None:
        self.receiver = PracticeReceiver(halvern.model(), seed=20544, misalign="moderate")
        self._now_s = 0.0
        self._meter = Millivoltmeter(self.receiver, seed=20544, clock=lambda: self._now_s)

    def read(self) -> str:
        """What somebody sees who waits a second and takes the middle of what the needle does."""
        seen = []
        for _ in range(40):
            self._now_s += 0.1
            seen.append(float(self._meter.answer("MEAS:VOLT:AC?") or "nan"))
        return f"{1e3 * sum(seen[10:]) / 30:.1f}m"


class TypedJob(WholeJob):
    def test_the_if_strip_is_aligned_by_typed_readings(self) -> None:
        own, bench = OwnSet(), self.begin(self.job_of("20544"))
        for _ in range(40):
            title = bench.title
            if title == "All done here":
                break
            if title == "Set up first":
                self.set_up(bench, own)
            elif title == "Go round again, or stop?":
                bench.press("Enter")
            elif title.startswith("Measure"):
                self.set_level(bench, own)
                bench.press("Enter")
            else:
                self.turn_to_the_best(bench, own)
            bench.wait_until(lambda title=title: bench.title != title)  # type: ignore[misc]
        self.assertEqual(bench.title, "All done here")
        truth = own.receiver.truth()
        # The top of the response is flat to a tenth of a decibel over so much, and a needle as unquiet as this says no more.
        self.assertLess(abs(truth.peak_hz - halvern.IF_HZ), 800.0)
        self.assertLess(truth.loss_db - truth.best_loss_db, 0.6)

    def set_up(self, bench: InsideBench, own: OwnSet) -> None:
        """Set what the card says: frequency, level, and where the lead goes."""
        card = bench.card
        self.assertIn("468.000\u2009kHz", card)
        step = next(s for g in halvern.model().groups for s in g.steps if halvern.model().point_name(s.set_up.goes_in) in card)
        own.receiver.lead = step.set_up.goes_in
        self.feed(bench, own)
        bench.press("Enter")

    def feed(self, bench: InsideBench, own: OwnSet) -> None:
        card = bench.card
        number, prefix = re.search(r"Level\s+([\d.]+)\s*([mµ]?)V", card).groups()  # type: ignore[union-attr]
        own.receiver.feed = Input(halvern.IF_HZ, float(number) * {"m": 1e-3, "µ": 1e-6, "": 1.0}[prefix], 0.3)

    def set_level(self, bench: InsideBench, own: OwnSet) -> None:
        """Read, and turn the generator to what the page says until it is content."""
        bench.type_reading(own.read())
        while bench.main_act == "The level is set":
            bench.press("Enter")
            self.feed(bench, own)
            bench.type_reading(own.read())

    def turn_to_the_best(self, bench: InsideBench, own: OwnSet) -> None:
        """Turn as the advice says, reading after reading, and take it when it says so."""
        adjuster = next(a for a in halvern.model().adjusters if a.phrase in bench.title)
        wanted_up = "Null" not in bench.title
        way, amount, away = 1.0, SEARCHING if wanted_up else SEEKING_A_NULL, 0
        self.set_level(bench, own)
        for count in itertools.count():
            advice = bench.advice
            if "Take it" in advice:
                bench.press("Enter")
                return
            self.assertLess(count, MOST_READINGS, advice)
            if bench.main_act == "The level is set":
                self.set_level(bench, own)
            elif advice.startswith("Nothing yet"):
                away += 1
                way = -way if away in (6, 18, 42) else way  # further each time
            elif "slips" in advice:
                bench.press("w")
                own.receiver.adjusters[adjuster.id].waxed = False
            elif "Turn the other way" in advice or "ome back" in advice:
                # With the key: the program cannot see which way a hand turns.
                amount = amount if "Turn the other" in advice else max(CLOSEST, amount / 2) if amount <= CLOSE else CLOSE
                way = -way
                bench.press("c")
            elif "Coming back" in advice:
                amount = CLOSEST if bench.coming_back_db < NEAR_DB else CLOSE
            elif wanted_up and advice.startswith(("Rising", "Steady")):
                amount = SEARCHING
            own.receiver.turn(adjuster.id, way * amount)
            bench.type_reading(own.read())
