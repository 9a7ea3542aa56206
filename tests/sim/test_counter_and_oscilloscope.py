import math
import struct
import unittest

import numpy as np

from calm_needle.bench.kinds import identify
from calm_needle.bench.oscilloscope import Oscilloscope as Driver
from calm_needle.bench.practice_set import PracticeSet
from calm_needle.bench.transport import VisaTransport
from calm_needle.errors import InstrumentNonsense
from calm_needle.sim.instruments.counter import FrequencyCounter
from calm_needle.sim.instruments.hands import Hands
from calm_needle.sim.instruments.oscilloscope import Oscilloscope
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.sim.rig import Rig
from tests.support import dossiers


def set_on(point: str, *, instrument: str, lead: str = "V1-g1", level_v: float = 1e-4, faults: tuple[str, ...] = ()) -> PracticeReceiver:
    """An aligned Halvern fed with its IF, an instrument's probe on a point."""
    receiver = PracticeReceiver(dossiers.model("halvern-6b"), seed=2, misalign="none", faults=faults, clock=lambda: 0.0)
    receiver.stand(band="MW", dial_hz=1e6)
    receiver.lead, receiver.feed = lead, Input(468e3, level_v, 0.3)
    receiver.clip(instrument, point)
    return receiver


def number(reply: str | None) -> float:
    assert reply is not None
    return float(reply)


class Counting(unittest.TestCase):
    def count(self, receiver: PracticeReceiver, *, seed: int = 4) -> float:
        return number(FrequencyCounter(receiver, seed=seed).answer("MEAS:FREQ?"))

    def test_it_counts_the_oscillator_within_its_reference_and_pulls_it(self) -> None:
        counted = [self.count(set_on("V1-gt", instrument="counter"), seed=s) for s in range(30)]
        self.assertLess(np.std(counted) / np.mean(counted), 1e-6)
        self.assertLess(np.mean(counted), 1.468e6 - 50e3, "thirty picofarads across the tank")

    def test_nothing_that_does_not_lift_its_trigger_is_counted(self) -> None:
        self.assertEqual(self.count(set_on("V1-a", instrument="counter", level_v=1e-6)), 0.0)
        self.assertEqual(self.count(set_on("V1-gt", instrument="counter", faults=("oscillator-coil-open",))), 0.0)
        self.assertEqual(self.count(PracticeReceiver(dossiers.model("halvern-6b"), seed=2)), 0.0, "in the air")

    def test_it_counts_the_tone_and_a_longer_gate_counts_it_better(self) -> None:
        receiver, spreads = set_on("speaker", instrument="counter"), []
        for gate in ("0.05", "5"):
            counter = FrequencyCounter(receiver, seed=7)
            counter.answer(f"FREQ:APER {gate}")
            counted = [number(counter.answer("MEAS:FREQ?")) for _ in range(200)]
            self.assertAlmostEqual(float(np.mean(counted)), 400.0, delta=1.0)
            spreads.append(float(np.std(counted)))
        self.assertGreater(spreads[0] / spreads[1], 30.0)


class Looking(unittest.TestCase):
    def trace(self, scope: Oscilloscope, channel: int = 1) -> np.ndarray:
        reply = scope.answer(f"TRAC? CHANNEL{channel}")
        assert reply is not None
        return np.array([float(v) for v in reply.split(",")])

    def test_the_tone_stands_still_and_is_as_high_as_the_meter_says(self) -> None:
        receiver = set_on("speaker", instrument="oscilloscope1")
        scope = Oscilloscope(receiver, seed=1)
        scope.answer("VOLT:RANG:PTP 2;:SWE:TIME 10 MS;POIN 1000")
        one, two = self.trace(scope), self.trace(scope)
        self.assertGreater(np.corrcoef(one, two)[0, 1], 0.97)
        rising = np.flatnonzero((one[:-1] < 0) & (one[1:] >= 0))
        self.assertTrue(3 <= len(np.unique(rising // 100)) <= 6, "four periods of 400 Hz")
        tone, noise, _ = receiver.audio()
        self.assertAlmostEqual(np.std(one) / math.hypot(tone, noise), 1.0, delta=0.06)

    def test_the_envelope_is_as_deep_as_the_modulation(self) -> None:
        receiver = set_on("V2-a", instrument="oscilloscope1")
        receiver.feed = Input(468e3, 1e-4, 0.5)
        scope = Oscilloscope(receiver, seed=1)
        scope.answer("VOLT:RANG:PTP 1;:SWE:TIME 5 MS;POIN 4000")
        volts = np.abs(self.trace(scope)).reshape(40, 100).max(axis=1)
        self.assertAlmostEqual((volts.max() - volts.min()) / (volts.max() + volts.min()), 0.5, delta=0.08)

    def test_text_reals_and_bytes_say_the_same(self) -> None:
        scope = Oscilloscope(set_on("speaker", instrument="oscilloscope1"), seed=1)
        scope.answer("VOLT:RANG:PTP 4;:SWE:POIN 200")
        heights = []
        for form in ("ASC", "REAL,32", "INT,8"):
            scope.answer(f"FORM {form}")
            reply = scope.answer("TRAC? CHANNEL1")
            assert reply is not None
            if form == "ASC":
                volts = [float(v) for v in reply.split(",")]
            else:
                data = reply.encode("latin-1")
                digits = int(data[1:2])
                length, body = int(data[2 : 2 + digits]), data[2 + digits :]
                self.assertEqual(length, len(body), "IEEE 488.2, 8.7.9")
                volts = list(struct.unpack(">200f", body)) if form[0] == "R" else [v * 4.0 / 256 for v in struct.unpack("200b", body)]
            heights.append(max(volts) - min(volts))
        self.assertLess(max(heights) - min(heights), 0.15 * heights[0])

    def test_a_straight_probe_weighs_more_than_one_that_divides(self) -> None:
        scope = Oscilloscope(set_on("V2-g1", instrument="oscilloscope1"), seed=1)
        scope.answer("VOLT:RANG:PTP 0.1")
        seen = {}
        for divides in ("10", "1"):
            scope.answer(f"INP:ATT {divides}")
            seen[divides] = number(scope.answer("MEAS:VOLT:PTP?"))
        self.assertLess(seen["1"], 0.6 * seen["10"])

    def test_direct_volts_are_seen_when_they_are_asked_for(self) -> None:
        receiver = set_on("V2-a", instrument="oscilloscope2")
        assert receiver.supply
        receiver.supply.power(1.0)
        receiver.clock.let_pass(300.0)
        scope = Oscilloscope(receiver, seed=1)
        scope.answer("VOLT2:RANG:PTP 600;:INP2:COUP DC")
        self.assertEqual(scope.answer("VOLT2:RANG:PTP?"), f"{8.0:.6E}", "beyond its highest range")
        scope.answer("VOLT2:RANG:PTP 400")
        self.assertAlmostEqual(float(np.mean(self.trace(scope, 2))), 199.0, delta=3.0)  # the top of what it shows


class OverTheWire(unittest.TestCase):
    def test_the_driver_reads_a_block_and_the_link_is_usable_afterwards(self) -> None:
        receiver = set_on("V2-a", instrument="oscilloscope1")
        rig = Rig(receiver, state_file=None, ports={})
        receiver.feed = Input(468e3, 1e-4, 0.3)  # its generator came up with its output off
        rig.start()
        self.addCleanup(rig.close)
        link = VisaTransport(f"TCPIP::127.0.0.1::{rig.ports['oscilloscope']}::SOCKET", name="oscilloscope")
        self.addCleanup(link.close)
        self.assertEqual(identify(link)[0], "oscilloscope")
        link.write("*CLS")  # of what it was asked that it does not know
        scope = Driver(link)
        scope.set_range(20.0)
        scope.set_time(1e-5)
        for _ in range(20):
            trace = scope.trace()
            self.assertEqual((len(trace.volts), trace.range_v), (500, 20.0))
        self.assertGreater(max(trace.volts) - min(trace.volts), 0.4)
        self.assertIn("OS-2", scope.identity())
        with self.assertRaises(InstrumentNonsense):
            link.query_block("*IDN?")
        self.assertIn("OS-2", scope.identity())

    def test_a_practice_set_stands_as_it_is_told(self) -> None:
        receiver = set_on("speaker", instrument="counter")
        rig = Rig(receiver, state_file=None, ports={})
        rig.start()
        self.addCleanup(rig.close)
        link = VisaTransport(f"TCPIP::127.0.0.1::{rig.ports['practice-set']}::SOCKET", name="practice set")
        self.addCleanup(link.close)
        hands = PracticeSet(link)
        self.assertEqual(hands.bands(), ("LW", "MW", "SW"))
        hands.select_band("SW")
        hands.point(9e6)
        hands.switch("filter", "broad")
        hands.switch("tone", 'as "bright" as it goes; ±½')
        self.assertEqual(receiver.switches["tone"], "as ?bright? as it goes; ??")
        hands.clip("counter", "V1-gt")
        self.assertEqual((receiver.dial.band, receiver.dial.dial_hz, receiver.switches["filter"]), ("SW", 9e6, "broad"))
        self.assertEqual(receiver.clips["counter"], "V1-gt")
        self.assertEqual(hands.strength(), 0.0)
        hand = Hands(receiver, keep=lambda: None)
        hand.answer('CLIP "counter","nowhere"')
        self.assertIn("nothing is seen at nowhere", str(hand.answer("SYST:ERR?")))
        hand.answer('CLIP "thermometer","V1-gt"')
        self.assertIn("no probe of thermometer", str(hand.answer("SYST:ERR?")))
