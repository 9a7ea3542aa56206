import math
import unittest
from collections.abc import Callable
from typing import Any

from calm_needle.bench.generator import Generator
from calm_needle.bench.instrument import Instrument
from calm_needle.bench.kinds import KINDS, LISTED, identify
from calm_needle.bench.lcr_meter import LcrMeter
from calm_needle.bench.millivoltmeter import Millivoltmeter
from calm_needle.bench.multimeter import Multimeter
from calm_needle.bench.practice_set import PracticeSet
from calm_needle.errors import InstrumentNonsense, InstrumentRefused
from tests.support.scripted_wire import ScriptedWire

FINE = ("SYST:ERR?", '0,"No error"')
NOT_THESE = (("MEAS:IND?", "no"), ("MEAS:VOLT:DC?", "no"), ("SWE:TIME?", "no"))  # asked before alternating volts
NO_GENERATOR = ("OUTP?", "what")


class OnTheWire(unittest.TestCase):
    def script(self, *pairs: tuple[str, str | None]) -> ScriptedWire:
        wire = ScriptedWire(*pairs)
        self.addCleanup(wire.done)
        return wire

    def test_every_setting_is_followed_by_a_look_into_the_error_queue(self) -> None:
        generator = Generator(self.script(("FREQ 468000.000", None), FINE, ("VOLT 3.200000E-04", None), FINE, ("OUTP ON", None), FINE))
        generator.set_frequency(468e3)
        generator.set_level(320e-6)
        generator.set_output(True)

    def test_modulation_is_set_before_it_is_switched_on(self) -> None:
        wire = self.script(("AM:DEPT 30.0", None), FINE, ("AM:INT:FREQ 400.0", None), FINE, ("AM:STAT ON", None), FINE)
        Generator(wire).set_amplitude_modulation(depth=0.3, tone_hz=400.0)

    def test_a_refusal_is_raised_in_words_after_the_queue_is_empty(self) -> None:
        generator = Generator(self.script(("FREQ 9000000000.000", None), ("SYST:ERR?", '-222,"Data out of range"'), FINE))
        with self.assertRaises(InstrumentRefused) as caught:
            generator.set_frequency(9e9)
        self.assertEqual(
            str(caught.exception), "The generator refused: that is more or less than it can be set to. Its setting is unchanged."
        )

    def test_nonsense_is_no_reading(self) -> None:
        for answer in ("", "OVLD", "nan", "9.9E37", "-0.3", "1_0", "1e37", "+1.5e6", "0x10", "１", "1 2", "inf"):
            with self.subTest(answer), self.assertRaises(InstrumentNonsense):
                Millivoltmeter(self.script(("MEAS:VOLT:AC?", answer))).volts()

    def test_the_practice_set_says_where_a_core_stands(self) -> None:
        position = PracticeSet(self.script(('TURN? "IFT1-upper",0.050000', "0.150000,0,0.4321"))).turn("IFT1-upper", 0.05)
        self.assertEqual(position, (0.15, False, 0.4321))
        with self.assertRaises(InstrumentNonsense):
            PracticeSet(self.script(('POS? "IFT1-upper"', "0.15"))).position("IFT1-upper")

    def test_the_driver_is_chosen_by_what_it_answers(self) -> None:
        for pairs, kind in (
            ((("*IDN?", "Some,Thing,1,1"), ("OUTP?", "0")), "generator"),
            ((("*IDN?", "Other,Thing,1,1"), NO_GENERATOR, *NOT_THESE, ("MEAS:VOLT:AC?", "0.012")), "ac-millivoltmeter"),
            ((("*IDN?", "Third,Thing,1,1"), NO_GENERATOR, NOT_THESE[0], ("MEAS:VOLT:DC?", "0.1")), "multimeter"),
            ((("*IDN?", "Fourth,Thing,1,1"), NO_GENERATOR, ("MEAS:IND?", "9.9E37")), "lcr-meter"),
            ((("*IDN?", "Fifth,Thing,1,1"), NO_GENERATOR, *NOT_THESE, ("MEAS:VOLT:AC?", "no"), ("MEAS:FREQ?", "468E3")), "counter"),
            ((("*IDN?", "Tern Rock,Practice set,0,1"),), "practice-set"),
        ):
            self.assertEqual(identify(self.script(*pairs))[0], kind)
        # A person may know better: this one is asked nothing but its name.
        self.assertEqual(identify(self.script(("*IDN?", "Sixth,Thing,1,1")), said_to_be="counter"), ("counter", "Sixth,Thing,1,1"))
        with self.assertRaises(InstrumentNonsense):
            identify(self.script(("*IDN?", "kettle"), NO_GENERATOR, *NOT_THESE, ("MEAS:VOLT:AC?", "no"), ("MEAS:FREQ?", "no")))

    def test_an_open_circuit_is_a_reading_of_the_ohmmeter_and_volts_under_it_a_refusal(self) -> None:
        self.assertEqual(Multimeter(self.script(("MEAS:RES?", "9.9E37"), FINE)).ohms(), math.inf)
        self.assertEqual(Multimeter(self.script(("MEAS:RES?", "180.2"), FINE)).ohms(), 180.2)
        volts = ("SYST:ERR?", '-221,"Settings conflict: volts at the terminals"')
        with self.assertRaises(InstrumentRefused):
            Multimeter(self.script(("MEAS:RES?", "0.0"), volts, FINE)).ohms()
        for answer in ("", "OVLD", "nan", "-3"):
            with self.subTest(answer), self.assertRaises(InstrumentNonsense):
                LcrMeter(self.script(("MEAS:IND?", answer))).henries()
        self.assertEqual(LcrMeter(self.script(("MEAS:IND?", "9.9E37"), FINE)).henries(), math.inf)

    def test_answers_that_lag_behind_the_questions_are_found_out_before_they_are_used(self) -> None:
        # The volts asked for before arrive as the answer to the amperes, and the amperes as that of the error queue.
        with self.assertRaises(InstrumentNonsense):
            Multimeter(self.script(("MEAS:CURR:AC?", "111.0"), ("SYST:ERR?", "0.5"))).amperes()

    def test_every_kind_is_listed_with_what_it_can(self) -> None:
        self.assertEqual(set(LISTED), {k.id for k in KINDS.values() if not k.hears})  # the ears have no plug, and a page of their own
        for kind in KINDS.values():
            self.assertTrue(kind.proof or kind.identity or kind.hears, kind.id)
            self.assertTrue(kind.name and kind.short and kind.driver.name, kind.id)


class Conventions(unittest.TestCase):
    def test_what_a_driver_does_begins_with_control_get_measure_or_let_go(self) -> None:
        for driver in (*(k.driver for k in KINDS.values()), Instrument):
            for name, method in vars(driver).items():
                if name.startswith("_") or not isinstance(method, Callable):  # type: ignore[arg-type]
                    continue
                words: Any = method.__doc__ or ""
                self.assertRegex(words, r"^(Control|Get|Measure|Let go)\b", f"{driver.__name__}.{name}")
