import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.sim.instruments.generator import SignalGenerator
from calm_needle.sim.instruments.hands import Hands
from calm_needle.sim.instruments.millivoltmeter import AVERAGING_S, Millivoltmeter
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.sim.rig import instruments_at
from tests.support import halvern
from tests.support.properties import steady


class Bench:
    """A practice receiver with its stand-ins, and a clock that goes when told to."""

    def __init__(self) -> None:
        self.now_s = 0.0
        self.kept = 0
        self.receiver = PracticeReceiver(halvern.model(), seed=2, misalign="none")
        self.generator = SignalGenerator(self.receiver, seed=2)
        self.meter = Millivoltmeter(self.receiver, seed=2, clock=lambda: self.now_s)
        self.hands = Hands(self.receiver, keep=self.keep)
        lead = next(s.set_up.goes_in for g in halvern.model().groups for s in g.steps if s.kind == "peak")
        self.hands.answer(f'LEAD "{lead}"')

    def keep(self) -> None:
        self.kept += 1

    def error(self, instrument: str) -> str:
        return str(getattr(self, instrument).answer("SYST:ERR?"))

    def volts(self, after_s: float = 1.0) -> float:
        self.now_s += after_s
        return float(self.meter.answer("MEAS:VOLT:AC?") or "nan")


class AMeterThatIsSeldomAsked(unittest.TestCase):
    def test_right_after_a_turn_it_shows_how_things_stood_before(self) -> None:
        """As a meter that averages does, however long it was not asked: what stood there meanwhile is not what stands there now."""
        clock = [0.0]
        receiver = PracticeReceiver(halvern.model(), seed=2, misalign="none", clock=lambda: clock[0])
        instruments = instruments_at(receiver, keep=lambda: None)
        meter, hands = instruments["ac-millivoltmeter"], instruments["practice-set"]
        receiver.feed = Input(receiver.model.if_hz, 1e-3, 0.3)
        hands.answer(f'LEAD "{next(s.set_up.goes_in for g in halvern.model().groups for s in g.steps if s.kind == "peak")}"')

        def volts(after_s: float) -> float:
            clock[0] += after_s
            return float(meter.answer("MEAS:VOLT:AC?") or "nan")

        before = [volts(1.0) for _ in range(5)][-1]
        clock[0] += 2.0
        hands.answer('TURN? "IFT2-lower",4')
        self.assertAlmostEqual(volts(0.005) / before, 1.0, delta=0.08)
        self.assertLess(volts(1.0) / before, 0.8)


class Generator(unittest.TestCase):
    def setUp(self) -> None:
        self.bench = Bench()

    def test_what_is_set_is_what_it_says(self) -> None:
        for line, question, answer in (
            ("FREQ 468000", "FREQ?", 468e3),
            ("SOURce:FREQuency:CW 1.5E6", "FREQ?", 1.5e6),
            ("VOLT 3.2E-4", "VOLT?", 3.2e-4),
            ("AM:DEPT 30", "AM:DEPT?", 30.0),
            ("OUTP ON", "OUTP?", 1.0),
        ):
            self.assertIsNone(self.bench.generator.answer(line))
            self.assertEqual(float(self.bench.generator.answer(question) or "nan"), answer)
            self.assertEqual(self.bench.error("generator"), '0,"No error"')

    def test_power_and_volts_are_one_level(self) -> None:
        self.bench.generator.answer("POW -30")
        self.assertAlmostEqual(float(self.bench.generator.answer("VOLT?") or "nan"), math.sqrt(50e-6), places=6)

    def test_a_refusal_stands_in_the_queue_and_changes_nothing(self) -> None:
        self.bench.generator.answer("FREQ 468000")
        for line, code in (("FREQ 4E9", "-222"), ("FREQ abc", "-104"), ("FREQ", "-109"), ("NONSENSE 3", "-113")):
            self.bench.generator.answer(line)
            self.assertTrue(self.bench.error("generator").startswith(code), line)
        self.assertEqual(float(self.bench.generator.answer("FREQ?") or "nan"), 468e3)

    def test_switched_on_its_output_is_off(self) -> None:
        self.assertEqual(self.bench.generator.answer("*RST;OUTP?"), "0")

    @steady
    @given(st.text(max_size=40))
    def test_any_line_is_survived(self, line: str) -> None:
        self.bench.generator.answer(line)


class Meter(unittest.TestCase):
    def test_it_reads_the_modulation_and_follows_the_level(self) -> None:
        bench = Bench()
        for line in ("FREQ 468000", "VOLT 1.5E-4", "AM:DEPT 30", "AM:STAT ON", "OUTP ON"):
            bench.generator.answer(line)
        low = bench.volts()
        bench.generator.answer("VOLT 3E-4")
        self.assertAlmostEqual(20 * math.log10(bench.volts() / low), 6.0, delta=0.4)
        bench.generator.answer("OUTP OFF")
        self.assertLess(bench.volts(), low / 10)

    def test_it_averages(self) -> None:
        bench = Bench()
        for line in ("FREQ 468000", "VOLT 1.5E-4", "AM:DEPT 30", "AM:STAT ON", "OUTP ON"):
            bench.generator.answer(line)
        before = bench.volts()
        bench.generator.answer("OUTP OFF")
        self.assertAlmostEqual(bench.volts(AVERAGING_S) / before, math.exp(-1.0), delta=0.06)


class PracticeSetOnTheWire(unittest.TestCase):
    def test_turning_answers_where_the_core_then_stands_and_is_kept(self) -> None:
        bench = Bench()
        kept = bench.kept
        turns, at_stop, _ = str(bench.hands.answer('TURN? "IFT2-lower",0.25')).split(",")
        self.assertEqual((float(turns), at_stop), (0.25, "0"))
        self.assertEqual(bench.kept, kept + 1)

    def test_an_adjuster_it_does_not_have_is_refused(self) -> None:
        bench = Bench()
        bench.hands.answer('TURN? "IFT9",0.25')
        self.assertIn("no adjuster IFT9", bench.error("hands"))
        bench.hands.answer('TURN? "IFT2-lower",500')
        self.assertTrue(bench.error("hands").startswith("-222"))
