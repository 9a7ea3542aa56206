"""Instruments that are described, on a pseudo-terminal with stand-ins of an odd dialect, worked by the drivers of their kind."""

import dataclasses
import unittest

from calm_needle.bench.described import DescribedLink
from calm_needle.bench.generator import Generator
from calm_needle.bench.millivoltmeter import Millivoltmeter
from calm_needle.bench.multimeter import Multimeter
from calm_needle.bench.transport import VisaTransport
from calm_needle.core.description import Description, Line, Read
from calm_needle.core.dossier.model import Watched
from calm_needle.errors import InstrumentGone, InstrumentNonsense, InstrumentSilent
from calm_needle.work.instruments.equipment import Equipment, send_once
from tests.core.test_description import GENERATOR, METER
from tests.support.odd_dialect import Answer, OddDialect
from tests.support.virtual_clock import VirtualClock

OUTPUT = Watched("audio volts", "V", "at the output")
QUICK = dataclasses.replace(METER, line=dataclasses.replace(METER.line, every_s=0.0, parity="none", data_bits=8))
TELLING = dataclasses.replace(GENERATOR, line=Line("CR", "LF"))


class OnALine(unittest.TestCase):
    def line(self, answer: Answer, *, sends: str = "") -> OddDialect:
        dialect = OddDialect(answer, sends=sends)
        self.addCleanup(dialect.close)
        return dialect

    def link(self, dialect: OddDialect, description: Description, **more: object) -> DescribedLink:
        wire = VisaTransport(dialect.resource, name=description.name, line=description.line, timeout_ms=400)
        link = DescribedLink(wire, description, **more)  # type: ignore[arg-type]
        self.addCleanup(link.close)
        return link


class AMeter(OnALine):
    def test_it_is_worked_by_the_driver_of_its_kind(self) -> None:
        dialect = self.line({"D1": "AC +0123,4 mV\r\n"}.get)
        meter = Millivoltmeter(self.link(dialect, QUICK))
        self.assertAlmostEqual(meter.volts(), 0.1234)
        self.assertEqual(meter.identity(), "Tern Rock TV-2, by its description")
        meter.in_step()
        self.assertEqual(dialect.told, ["D1", "D1"])

    def test_what_is_no_reading_is_none(self) -> None:
        for answer, fault in (
            ("ERR 5\r\n", InstrumentNonsense),
            ("AC 5 A\r\n", InstrumentNonsense),
            ("AC OVER\r\n", InstrumentNonsense),
            (None, InstrumentSilent),
        ):
            meter = Millivoltmeter(self.link(self.line(lambda _, a=answer: a), QUICK))  # type: ignore[misc]
            with self.subTest(answer), self.assertRaises(fault):
                meter.volts()

    def test_over_the_range_of_an_ohmmeter_is_an_answer(self) -> None:
        described = Description(
            "Ohms", "multimeter", Line("CR", "CR LF"), {"direct_volts": Read("V"), "ohms": Read("R", over="OL", factor=1e3)}, {}, {}
        )
        meter = Multimeter(self.link(self.line({"R": "OL\r\n", "V": "1\r\n"}.get), described))
        self.assertEqual(meter.ohms(), float("inf"))

    def test_one_that_sends_by_itself_is_listened_to_and_what_is_old_is_let_go(self) -> None:
        described = dataclasses.replace(QUICK, reads={"alternating_volts": Read("", factor=1e-3)})
        dialect = self.line(lambda _: None, sends="+0042.0 mV\r\n")
        meter = Millivoltmeter(self.link(dialect, described))
        for _ in range(3):
            self.assertAlmostEqual(meter.volts(), 0.042)
        self.assertEqual(dialect.told, [])

    def test_it_is_asked_no_more_often_than_it_can_bear(self) -> None:
        clock = VirtualClock()
        described = dataclasses.replace(QUICK, line=dataclasses.replace(QUICK.line, every_s=5.0))
        meter = Millivoltmeter(self.link(self.line({"D1": "AC 1 V\r\n"}.get), described, clock=clock))
        meter.volts()
        self.assertEqual(clock.monotonic(), 0.0)
        meter.volts()
        self.assertEqual(clock.monotonic(), 5.0)

    def test_a_plug_that_is_pulled_is_a_state_with_words(self) -> None:
        dialect = OddDialect({"D1": "AC 1 V\r\n"}.get)
        meter = Millivoltmeter(self.link(dialect, QUICK))
        meter.volts()
        dialect.close()
        with self.assertRaises((InstrumentGone, InstrumentSilent)):
            meter.volts()

    def test_an_endless_answer_is_cut_off(self) -> None:
        meter = Millivoltmeter(self.link(self.line(lambda _: "9" * 200_000), QUICK))
        with self.assertRaises((InstrumentNonsense, InstrumentSilent)):
            meter.volts()


class AGenerator(OnALine):
    def test_it_is_told_in_its_own_words_and_asked_how_it_stands(self) -> None:
        dialect = self.line({"?F": "468.000\n"}.get)
        generator = Generator(self.link(dialect, TELLING))
        generator.set_frequency(468e3)
        generator.set_level(1e-3)
        generator.set_modulation(("AM", 0.3, 0.0, 400.0))  # of which it knows nothing: that is set by hand
        generator.set_output(True)
        state = generator.state()
        self.assertEqual([t for t in dialect.told if t != "?F"], ["FR468.000KZ", "AP-47.0DM", "R0"])
        self.assertEqual((state.frequency_hz, state.output_on), (468e3, True))
        self.assertAlmostEqual(state.level_v, 1e-3)

    def test_what_it_is_not_told_is_named_as_set_by_hand(self) -> None:
        generator = Generator(self.link(self.line({"?F": "455.000\n"}.get), TELLING))
        self.assertIn("set by hand: depth of amplitude modulation", generator.identity())
        self.assertNotIn("output on", generator.identity())

    def test_what_it_says_counts_and_not_what_it_was_told(self) -> None:
        generator = Generator(self.link(self.line({"?F": "455.000\n"}.get), TELLING))
        generator.set_frequency(468e3)
        generator.set_level(1e-3)
        self.assertEqual(generator.state().frequency_hz, 455e3)


class AtTheBench(OnALine):
    def test_it_reads_what_a_step_watches(self) -> None:
        dialect = self.line({"D1": "AC 0,5 V\r\n"}.get)
        equipment = Equipment()
        self.addCleanup(equipment.close)
        equipment.connect({"ac-millivoltmeter": dialect.resource}, {"ac-millivoltmeter": QUICK})
        self.assertEqual(equipment.greet(), ["ac-millivoltmeter"])
        read = equipment.read(OUTPUT)
        assert read
        self.assertEqual((read.quantity.value, read.quantity.unit), (0.5, "V"))

    def test_a_line_is_sent_once_and_its_answer_shown_as_it_is(self) -> None:
        dialect = self.line({"D1": "AC +0123,4 mV\r\n"}.get)
        self.assertEqual(send_once(dialect.resource, QUICK.line, "D1"), "AC +0123,4 mV")
