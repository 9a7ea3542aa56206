"""The ears as an instrument: the meter at the output while somebody wants it, fresh or not there, in decibels or in volts."""

import math
import unittest

import numpy as np

from calm_needle.bench.ears import FRESH_S, Ears, Source
from calm_needle.bench.generator import Generator
from calm_needle.bench.multimeter import Multimeter
from calm_needle.core.dossier.model import Watched
from calm_needle.errors import EarsClosed, EarsUnsure, InstrumentGone, OutOfRange
from calm_needle.sim.receiver.loudspeaker import Loudspeaker
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.work.instruments.equipment import Equipment
from calm_needle.work.instruments.meters import Meters
from tests.core.physics.test_heard import mixed
from tests.support import dossiers
from tests.support.virtual_clock import VirtualClock

OUTPUT = Watched("audio volts", "V", "at the output")
LINE = Source("line", 16e3)


class OfTheEars(unittest.TestCase):
    def setUp(self) -> None:
        self.clock = VirtualClock()
        self.count = 0

    def sound(self, ears: Ears, *, tone: float = 0.2, seconds: float = 0.5, source: Source = LINE, **more: float) -> None:
        for block in np.array_split(mixed(rate=source.rate_hz, seconds=seconds, tone=tone, **more).samples, round(seconds / 0.05)):
            ears.take((np.clip(block, -1.0, 1.0) * 32767.0).astype("<i2").tobytes(), source=source, number=self.count)
            self.count += len(block)
            self.clock.wait(0.05)

    def equipment(self) -> tuple[Equipment, Ears]:
        equipment = Equipment()
        equipment.connect({"generator": "TCPIP::127.0.0.1::1::SOCKET", "multimeter": "TCPIP::127.0.0.1::2::SOCKET"})
        self.addCleanup(equipment.close)
        equipment.ears = Ears(clock=self.clock)
        return equipment, equipment.ears


class WhetherTheyAreOpen(OfTheEars):
    def test_for_a_second_after_the_last_sound_and_no_longer(self) -> None:
        ears = Ears(clock=self.clock)
        self.assertFalse(ears.open)
        self.sound(ears)
        self.assertTrue(ears.open)
        self.clock.wait(0.9 * FRESH_S - 0.05)
        self.assertTrue(ears.open)
        self.clock.wait(0.2 * FRESH_S)
        self.assertFalse(ears.open)


class TheMeterAtTheOutput(OfTheEars):
    def test_it_is_read_while_it_is_wanted_and_the_others_afterwards(self) -> None:
        equipment, ears = self.equipment()
        self.assertIsInstance((equipment.meter(OUTPUT) or (None,))[0], Multimeter)
        equipment.listen(True)
        self.assertIs((equipment.meter(OUTPUT) or (None,))[0], ears)
        at_a_point = Watched("direct volts", "V", "at V5", point="V5-a")
        self.assertIsInstance((equipment.meter(at_a_point) or (None,))[0], Multimeter)  # the ears have no probe
        self.assertIsInstance(equipment.generator, Generator)
        equipment.connect({"multimeter": "TCPIP::127.0.0.1::2::SOCKET"})
        self.assertTrue(equipment.has("ears"))  # whatever else is plugged in
        equipment.listen(False)
        self.assertIsInstance((equipment.meter(OUTPUT) or (None,))[0], Multimeter)
        self.assertNotIn("ears", [s.kind for s in equipment.states])

    def test_it_is_relative_at_once_and_in_volts_after_one_comparison(self) -> None:
        equipment, ears = self.equipment()
        equipment.listen(True)
        self.sound(ears)
        read = equipment.read(OUTPUT)
        assert read
        self.assertEqual((read.quantity.unit, read.instrument), ("dB", "ears"))
        self.assertAlmostEqual(read.quantity.value, 20.0 * math.log10(0.2), delta=0.05)
        with self.assertRaises(EarsUnsure):
            ears.volts()
        ears.compare(1.0)
        self.sound(ears, tone=0.1)
        read = equipment.read(OUTPUT)
        assert read
        self.assertEqual(read.quantity.unit, "V")
        self.assertAlmostEqual(read.quantity.value, 0.5, delta=0.01)
        self.sound(ears, tone=0.1, source=Source("microphone", 16e3))
        read = equipment.read(OUTPUT)
        assert read
        self.assertEqual(read.quantity.unit, "dB")  # another input was never compared

    def test_a_beat_is_counted_wherever_the_papers_count_it_and_nothing_else_is(self) -> None:
        equipment, ears = self.equipment()
        equipment.listen(True)
        self.sound(ears, tone_hz=212.6, seconds=1.0)
        read = equipment.read(Watched("beat", "Hz", "across the loudspeaker, counted", instrument="counter", point="speaker"))
        assert read
        self.assertAlmostEqual(read.quantity.value, 212.6, delta=0.3)
        self.assertGreater(read.ago_s, 0.0)
        self.assertIsNone(equipment.meter(Watched("frequency", "Hz", "near the oscillator")))  # no ear hears that
        self.sound(ears, tone=0.0, noise=0.01, seconds=1.0)
        self.assertEqual(ears.hertz(), 0.0)

    def test_what_is_old_is_not_read_and_comes_back_by_itself(self) -> None:
        equipment, ears = self.equipment()
        equipment.connect({})
        equipment.listen(True)
        with self.assertRaises(InstrumentGone):
            equipment.greet()
        self.assertEqual([(s.kind, s.state) for s in equipment.states], [("ears", "lost")])
        self.assertIn("press Listen", equipment.states[0].words)
        self.sound(ears)
        self.assertEqual(equipment.greet(), ["ears"])
        self.assertEqual(equipment.states[0].words, "line, 16 kHz")
        self.clock.wait(FRESH_S + 0.1)
        for ask in (ears.decibels, ears.in_step, ears.told, ears.hear):
            with self.assertRaises(EarsClosed):
                ask()

    def test_what_a_sounding_reads_of_the_output_is_all_that_is_there_and_not_the_tone_alone(self) -> None:
        equipment, ears = self.equipment()
        meters = Meters(equipment)
        self.assertIsNone(meters.heard())
        equipment.listen(True)
        self.sound(ears)
        with self.assertRaisesRegex(EarsUnsure, "know no volts"):
            meters.output_v()
        ears.compare(1.0)
        self.sound(ears, tone=0.0, noise=0.2 / math.sqrt(2.0))  # the modulation off: hiss alone, as loud as the tone was
        self.assertAlmostEqual(20.0 * math.log10(meters.output_v()), 0.0, delta=0.5)
        self.sound(ears, tone=0.0, seconds=1.0)
        self.assertEqual(meters.output_v(), 0.0)  # silence is a level, to whoever reads all that is there
        self.sound(ears, tone=1.6)
        with self.assertRaisesRegex(EarsUnsure, "clips"):
            meters.output_v()

    def test_a_beat_is_followed_through_zero_and_hum_is_not_taken_for_it(self) -> None:
        """The Corvane's beat oscillator turned through the carrier, heard at its loudspeaker, with hum beside it."""
        set_ = PracticeReceiver(dossiers.model("corvane-r-40"), seed=4, misalign="none", clock=self.clock.monotonic)
        set_.lead = next(s.set_up.goes_in for g in set_.model.groups for s in g.steps if s.kind == "zero_beat")
        set_.stand(switches={"detector": "product"})
        loudspeaker, ears, source, count = Loudspeaker(set_, seed=4), Ears(clock=self.clock), Source("practice", 16e3), 0
        hum = 0.002 * np.sin(2.0 * math.pi * 100.0 * np.arange(800 * 600) / 16e3)
        heard = []
        for off_hz in (900.0, 500.0, 240.0, 0.0, -240.0, -500.0):
            set_.feed = Input(set_.model.if_hz + off_hz, 1e-3, 0.0)
            for _ in range(16):
                volts = loudspeaker.sound(samples=800, rate_hz=16e3)
                x = np.clip(0.25 * volts + hum[count : count + 800], -1.0, 1.0)
                ears.take((x * 32767.0).astype("<i2").tobytes(), source=source, number=count)
                count += 800
                self.clock.wait(0.05)
            heard.append(ears.hertz())
        zero = set_.audio().tone_hz + off_hz  # where its oscillator stands, off the intermediate frequency
        for found, off_hz in zip(heard, (900.0, 500.0, 240.0, 0.0, -240.0, -500.0), strict=True):
            self.assertAlmostEqual(found, abs(off_hz - zero) if abs(off_hz - zero) > 20.0 else 0.0, delta=2.0)

    def test_what_is_kept_is_of_one_piece(self) -> None:
        ears = Ears(clock=self.clock)
        self.sound(ears, seconds=2.0)
        self.assertEqual(len(ears.last(30.0).samples), 2 * 32_000)
        silence = np.zeros(800, dtype="<i2").tobytes()
        ears.take(silence, source=LINE, number=self.count)  # the browser had nothing in time
        self.count += 800
        self.sound(ears, seconds=1.0)
        kept = np.frombuffer(ears.last(30.0).samples, dtype="<i2")
        self.assertEqual(len(kept), 16_000)

    def test_one_page_listens_at_a_time(self) -> None:
        ears = Ears(clock=self.clock)
        self.sound(ears)
        block = (mixed(rate=16e3, tone=0.01).samples[:800] * 32767.0).astype("<i2").tobytes()
        told = ears.take(block, source=Source("another", 16e3), number=0, page="two")
        self.assertIn("Another page listens already", told.why)
        self.assertAlmostEqual(ears.decibels(), 20.0 * math.log10(0.2), delta=0.05)
        self.clock.wait(FRESH_S + 0.1)
        self.assertNotIn("Another", ears.take(block, source=Source("another", 16e3), number=0, page="two").why)

    def test_clipping_silence_and_a_gap_are_no_readings(self) -> None:
        ears = Ears(clock=self.clock)
        self.sound(ears, tone=1.6)
        with self.assertRaisesRegex(EarsUnsure, "clips"):
            ears.decibels()
        self.sound(ears, tone=0.0)
        with self.assertRaisesRegex(EarsUnsure, "silence"):
            ears.decibels()
        self.sound(ears)
        self.count += 700  # lost on the way
        self.sound(ears, seconds=0.1)
        with self.assertRaisesRegex(EarsUnsure, "too little"):
            ears.decibels()
        for block in (b"", b"\0", b"\0" * 400_000):
            with self.assertRaises(OutOfRange):
                ears.take(block, source=LINE, number=0)

    def test_what_the_browser_would_not_switch_off_is_said(self) -> None:
        self.assertIn("would not switch off its gain control", Source("line", 48e3, ("gain control",)).words)


if __name__ == "__main__":
    unittest.main()
