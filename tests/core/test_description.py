import json
import math
import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.description import (
    LARGEST_BYTES,
    READS,
    Description,
    Line,
    Read,
    Set,
    number_in,
    parse_description,
    write_description,
)
from calm_needle.errors import FileRefused, OutOfRange
from tests.support.properties import steady

METER = Description(
    "Tern Rock TV-2",
    "ac-millivoltmeter",
    Line("CR", "CR LF", 1200, 7, "even", 2, 0.2),
    {"alternating_volts": Read("D1", "AC", "", 1, ",", 1.0, "OVER", {"mV": 1e-3, "V": 1.0})},
    {},
    {},
)
GENERATOR = Description(
    "Tern Rock G-9",
    "generator",
    Line(),
    {"frequency": Read("?F", factor=1e3)},
    {"frequency": Set("FR{value}KZ", 1e-3, 3), "level": Set("AP{value}DM", decimals=1, scale="dBm")},
    {"output_on": "R0", "output_off": "R1"},
)


def spoilt(**changes: Any) -> bytes:
    return json.dumps({**json.loads(write_description(METER)), **changes}).encode()


class ANumberInAnAnswer(unittest.TestCase):
    def found(self, answer: str, **how: Any) -> float | None:
        it = number_in(answer, Read("x", **how))
        return it and it.value

    def test_it_is_found_where_the_description_says(self) -> None:
        for answer, how, wanted in (
            ("+1.234E-03", {}, 1.234e-3),
            ("V1 +012.3mV", {"which": 2, "factor": 1e-3}, 12.3e-3),
            ("V1 +012.3mV", {"after": "V1", "factor": 1e-3}, 12.3e-3),
            ("CH1=5;CH2=7", {"after": "CH2="}, 7.0),
            ("CH1=5;CH2=7", {"before": ";", "which": 2}, 5.0),
            ("N 468,002 kHz", {"decimal": ",", "factor": 1e3}, 468002.0),
            ("- 12.5", {}, -12.5),
            (".5", {}, 0.5),
        ):
            self.assertAlmostEqual(self.found(answer, **how) or math.nan, wanted, msg=answer)

    def test_the_longest_unit_that_fits_says_what_it_is_worth(self) -> None:
        units = {"m": 60.0, "mV": 1e-3, "V": 1.0}
        self.assertAlmostEqual(self.found("12 mV", units=units) or 0.0, 12e-3)
        self.assertAlmostEqual(self.found("12 V", units=units) or 0.0, 12.0)
        self.assertIsNone(self.found("12 A", units=units), "a unit that nobody named")

    def test_where_none_is_there_none_is_found(self) -> None:
        for answer, how in (
            ("", {}),
            ("ERROR", {}),
            ("12", {"which": 2}),
            ("12", {"after": "X"}),
            ("12", {"before": "X"}),
            ("X", {"after": "X"}),
        ):
            self.assertIsNone(self.found(answer, **how), answer)

    def test_over_the_range_is_no_number_and_said(self) -> None:
        self.assertEqual(self.found("OL 0.000", over="OL"), math.inf)

    @steady
    @given(st.text(max_size=60), st.integers(1, 9), st.sampled_from(".,"))
    def test_whatever_comes_is_a_number_or_none(self, answer: str, which: int, decimal: Any) -> None:
        found = number_in(answer, Read("x", which=which, decimal=decimal))
        if found:
            self.assertTrue(0 <= found.begin < found.end <= len(answer))
            self.assertTrue(math.isfinite(found.value) or "e" in answer.lower())


class ALine(unittest.TestCase):
    def test_a_value_goes_where_the_placeholder_stands(self) -> None:
        self.assertEqual(GENERATOR.sets["frequency"].line(468e3), "FR468.000KZ")
        self.assertEqual(GENERATOR.sets["level"].line(math.sqrt(50.0 * 1e-3)), "AP0.0DM")
        self.assertEqual(GENERATOR.sets["level"].line(1e-6 * math.sqrt(50.0 * 1e-3)), "AP-120.0DM")


class AFile(unittest.TestCase):
    def test_out_and_in_again_it_is_the_same(self) -> None:
        for description in (METER, GENERATOR):
            content = write_description(description)
            self.assertEqual(parse_description(content, name="a"), description)
            self.assertEqual(write_description(parse_description(content, name="a")), content)

    def test_every_fault_is_named_at_once(self) -> None:
        bad = spoilt(
            name="",
            line={"baud": 1234, "ends": "\x00", "speed": 1, "every_s": -1},
            reads={"alternating_volts": {"send": "A" * 200, "which": 0, "factor": 0, "decimal": ";", "units": {"": 1}}, "smell": {}},
        )
        with self.assertRaises(FileRefused) as refused:
            parse_description(bad, name="a")
        paths = {f.path for f in refused.exception.faults}
        of_read = {f"reads.alternating_volts.{n}" for n in ("send", "which", "factor", "decimal", "units")}
        self.assertEqual(paths, {"name", "line.baud", "line.ends", "line.speed", "line.every_s", "reads.smell", *of_read})

    def test_hostile_files_are_refused_whole(self) -> None:
        twice = b'{"format":"calm-needle/instrument","format":"x"}'
        for content in (
            b"",
            b"no JSON",
            b"[" * 5000,
            b"\xff\xfe",
            b"[]",
            twice,
            write_description(METER)[:-40],
            b"x" * (LARGEST_BYTES + 1),
            spoilt(format="another"),
            spoilt(version=2),
            spoilt(version=True),
            spoilt(kind="practice-set"),
            spoilt(kind=["counter"]),
            spoilt(reads={}),
            spoilt(reads=[]),
            spoilt(line=None),
            spoilt(sets={"frequency": {"send": "{value}"}}),
            spoilt(run="rm"),
            spoilt(name="a\nb"),
            spoilt(reads={"alternating_volts": {"send": "D1\rERASE"}}),
            spoilt(reads={"alternating_volts": {"send": "D1", "factor": float("nan")}}),
            spoilt(reads={"alternating_volts": {"send": "D1", "factor": 1e300}}),
            spoilt(reads={"alternating_volts": {"send": "D1", "units": {f"u{i}": 1 for i in range(99)}}}),
        ):
            with self.subTest(content[:60]), self.assertRaises(FileRefused):
                parse_description(content, name="a")

    def test_what_is_told_holds_the_placeholder_once_and_nothing_else_is_filled_in(self) -> None:
        data = json.loads(write_description(GENERATOR))
        for send in ("FR", "FR{value}{value}", "", "FR{0}"):
            data["sets"]["frequency"]["send"] = send
            with self.subTest(send), self.assertRaises(FileRefused):
                parse_description(json.dumps(data).encode(), name="a")
        self.assertEqual(Set("{value:x}{value}", decimals=0).line(5.0), "{value:x}5")

    def test_every_kind_can_be_described_by_what_it_needs(self) -> None:
        for kind, reads in READS.items():
            data = json.loads(write_description(METER)) | {"kind": kind, "reads": {q.name: {"send": "?"} for q in reads if q.needed}}
            if kind == "generator":
                data["sets"] = {n: {"send": "{value}"} for n in ("frequency", "level")}
            self.assertEqual(parse_description(json.dumps(data).encode(), name="a").kind, kind)


class WhatIsSent(unittest.TestCase):
    def test_a_value_that_its_decimals_would_move_by_more_than_one_per_cent_is_never_sent(self) -> None:
        for told, value in (
            (Set("V{value}", 1.0, 3), 1e-6),  # 0.000
            (Set("V{value}", 1e3, 1), 0.26e-3),  # 0.3 mV
            (Set("D{value}", 1.0, 0, "dBm"), 0.1),  # −7 for −6.99 is near enough, −13 for −12.6 is not
            (Set("D{value}", 1.0, 1, "dBm"), 0.0),
            (Set("D{value}", 1.0, 1, "dBm"), -1.0),
        )[1:]:
            if told.send.startswith("D{") and value == 0.1:
                self.assertEqual(told.line(value), "D-7")
                value = 0.0525
            with self.subTest(told), self.assertRaises(OutOfRange):
                told.line(value)
        with self.assertRaisesRegex(OutOfRange, "within 1 %"):
            Set("V{value}", 1.0, 3).line(1e-6)

    @given(st.floats(1e-7, 1.0), st.integers(0, 9), st.sampled_from(("linear", "dBm")), st.sampled_from((1.0, 1e3, 1e6)))
    def test_what_is_sent_is_what_was_meant(self, value: float, decimals: int, scale: Any, factor: float) -> None:
        try:
            number = float(Set("{value}", factor, decimals, scale).line(value))
        except OutOfRange:
            return
        sent = math.sqrt(10.0 ** (number / 10.0) * 0.05) if scale == "dBm" else number / factor
        self.assertLessEqual(abs(sent / value - 1.0), 0.0101)
