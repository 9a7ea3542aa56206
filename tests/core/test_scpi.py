import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.scpi import fits, read_error, read_number, split_message
from tests.support.properties import steady


class Grammar(unittest.TestCase):
    def test_long_and_short_forms_and_nodes_that_may_be_left_out(self) -> None:
        pattern = "[SOURce:]FREQuency[:CW]"
        for header in ("FREQ", "freq", "FREQUENCY", "SOUR:FREQ", "SOURCE:FREQUENCY:CW"):
            self.assertTrue(fits(pattern, header), header)
        for header in ("FRE", "FREQU", "SOUR", "FREQ:CX", "XFREQ"):
            self.assertFalse(fits(pattern, header), header)

    def test_quotes_protect_what_parts_commands(self) -> None:
        (command,) = split_message('LEAD "a;b,c"')
        self.assertEqual(command.arguments, ("a;b,c",))

    def test_what_is_no_number_is_refused(self) -> None:
        for text in ("", "abc", "nan", "inf", "9.9E37", "9.91E37", "-9.9e37"):
            with self.subTest(text), self.assertRaises(ValueError):
                read_number(text)

    def test_the_error_queue_is_read(self) -> None:
        self.assertEqual(read_error('-222,"Data out of range"'), (-222, "Data out of range"))

    @steady
    @given(st.text(max_size=60))
    def test_any_line_is_split_without_a_fault(self, line: str) -> None:
        self.assertTrue(all(c.header for c in split_message(line) if c.arguments))
