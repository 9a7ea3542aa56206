import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.quantities import (
    SPELLINGS,
    TRUE_MINUS,
    Quantity,
    format_db,
    format_si,
    parse_list,
    parse_reading,
    parse_si,
    split_si,
)
from calm_needle.errors import NotUnderstood
from tests.support.properties import steady

PREFIXED = ("Hz", "H", "F", "V", "A", "W", "s", "Ω")


class ReadWhatPeopleType(unittest.TestCase):
    def test_every_way_of_writing_it(self) -> None:
        for text, unit, value in (
            ("455k", "Hz", 455e3),
            ("455 kHz", "Hz", 455e3),
            ("4.7 nF", "F", 4.7e-9),
            ("1,4", "", 1.4),
            ("1,4 MHz", "Hz", 1.4e6),
            ("2u2", "F", 2.2e-6),
            ("4k7", "Ω", 4700.0),
            ("3R3", "Ω", 3.3),
            ("10 MHz", "Hz", 10e6),
            ("412m", "V", 0.412),
            ("0.41", "V", 0.41),
            ("−12.4 dB", "dB", -12.4),
            ("1.4e6", "Hz", 1.4e6),
            ("320 µV", "V", 320e-6),
            ("320 μV", "V", 320e-6),  # the Greek letter, not the micro sign
            ("320uV", "V", 320e-6),
            (".5 m", "H", 0.5e-3),
            ("  7\u202fkΩ ", "Ω", 7e3),
        ):
            with self.subTest(text):
                self.assertEqual(parse_si(text, unit=unit), value)

    def test_a_meter_may_show_volts_or_decibels(self) -> None:
        self.assertEqual(parse_reading("412m"), Quantity(0.412, "V"))
        self.assertEqual(parse_reading("-12.4dB"), Quantity(-12.4, "dB"))

    def test_nonsense_is_refused_with_an_example(self) -> None:
        for text, unit in (
            ("", "Hz"),
            ("abc", "Hz"),
            ("455 kV", "Hz"),
            ("455k 3", "Hz"),
            ("nan", "V"),
            ("inf", "V"),
            ("1e999", "V"),
            ("--3", "V"),
            ("1.2.3", "V"),
            ("4k7k", "Ω"),
            ("9" * 70, "V"),
            ("5 mHz", "Hz"),
            ("٣", "V"),
        ):
            with self.subTest(text), self.assertRaises(NotUnderstood) as caught:
                parse_si(text, unit=unit)
            self.assertIn("Write it like", str(caught.exception))

    def test_a_number_that_could_mean_two_things_is_asked_about(self) -> None:
        with self.assertRaises(NotUnderstood) as caught:
            parse_si("1,200", unit="Hz")
        self.assertEqual(str(caught.exception), "“1,200” could mean 1.200 or 1200. Write it like 1.200 or 1200.")

    def test_a_list_is_parted_by_commas_or_by_semicolons(self) -> None:
        self.assertEqual(parse_list("3,6,12,20", unit="dB"), [3.0, 6.0, 12.0, 20.0])
        self.assertEqual(parse_list("1,5; 3", unit="dB"), [1.5, 3.0])


class ShowValues(unittest.TestCase):
    def test_minus_is_a_true_minus_and_nothing_has_no_sign(self) -> None:
        self.assertEqual(format_db(-0.42), f"{TRUE_MINUS}0.4")
        self.assertEqual(format_db(-0.01), "0.0")
        self.assertEqual(format_db(5.62), "+5.6")

    def test_rounding_decides_the_prefix(self) -> None:
        self.assertEqual(split_si(999.96, unit="Hz", digits=4), ("1.000", "kHz"))
        self.assertEqual(split_si(0.41, unit="V", digits=3), ("410", "mV"))


class RoundTrips(unittest.TestCase):
    @steady
    @given(st.floats(1e-12, 9.99e11), st.sampled_from(PREFIXED), st.integers(3, 9))
    def test_what_is_shown_reads_back_to_the_digits_shown(self, value: float, unit: str, digits: int) -> None:
        if unit == "Hz" and value < 1:
            return  # millihertz are refused on purpose
        back = parse_si(format_si(value, unit=unit, digits=digits), unit=unit)
        self.assertLessEqual(abs(back - value), 0.5000001 * 10.0 ** (math.floor(math.log10(value)) - digits + 1) * 1.0001 + 1e-300)

    @steady
    @given(st.floats(-999, 999).filter(lambda x: abs(x) > 1e-3), st.sampled_from(sorted(SPELLINGS)))
    def test_a_space_a_comma_and_a_true_minus_change_nothing(self, value: float, unit: str) -> None:
        plain = f"{value:.6f}"
        typed = "  " + plain.replace("-", TRUE_MINUS).replace(".", ",") + " " + unit
        if ",000" in typed or plain.split(".")[1][:3] == plain.split(".")[1]:
            return
        self.assertEqual(parse_si(typed, unit=unit), parse_si(plain, unit=unit))

    @steady
    @given(st.text(max_size=80), st.sampled_from(sorted(SPELLINGS)))
    def test_any_text_is_a_finite_number_or_is_refused(self, text: str, unit: str) -> None:
        try:
            self.assertTrue(math.isfinite(parse_si(text, unit=unit)))
        except NotUnderstood as fault:
            self.assertLess(len(str(fault)), 400)
