import contextlib
import io
import struct
import unittest
from xml.etree import ElementTree

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.io import wavfile

from calm_needle.core.pictures import Curves, Line, Place, Scale, Stack, Switches, Winding
from calm_needle.errors import FileRefused
from calm_needle.files.svg_picture import draw
from calm_needle.files.traces import Trace, read_trace, write_csv, write_touchstone
from calm_needle.files.wav import parse_wav, read_wav
from tests.support.properties import steady

TRACE = Trace([460e3 + 1e3 * i for i in range(17)], [-abs(i - 8.0) * 1.5 - 3.25 for i in range(17)])


class Traces(unittest.TestCase):
    def check(self, trace: Trace, places: int = 6) -> None:
        self.assertEqual(len(trace.frequencies_hz), 17)
        for a, b in zip(trace.frequencies_hz, TRACE.frequencies_hz, strict=True):
            self.assertAlmostEqual(a, b, delta=1e-3)
        for a, b in zip(trace.levels_db, TRACE.levels_db, strict=True):
            self.assertAlmostEqual(a, b, places=places)

    def test_out_and_in_again_is_the_same(self) -> None:
        self.check(read_trace(write_csv(TRACE).encode(), name="a.csv"), places=12)
        for ports in (1, 2):
            self.check(read_trace(write_touchstone(TRACE, ports=ports).encode(), name=f"a.s{ports}p"))

    def test_semicolons_decimal_commas_and_units_in_the_header(self) -> None:
        rows = "\n".join(f"{f / 1e3:.1f};{v:.3f}".replace(".", ",") for f, v in zip(*TRACE, strict=True))
        self.check(read_trace(f"Frequenz (kHz);Pegel (dB)\n{rows}\n".encode(), name="a.csv"), places=3)
        tabs = "\n".join(f"{f / 1e6}\t{v}" for f, v in zip(*TRACE, strict=True))
        self.check(read_trace(f"# swept by hand\nf/MHz\tlevel dB\n{tabs}".encode(), name="a.txt"))

    def test_volts_become_decibels(self) -> None:
        rows = "\n".join(f"{f},{10 ** (v / 20) * 1e3}" for f, v in zip(*TRACE, strict=True))
        trace = read_trace(f"frequency (Hz),meter (mV)\n{rows}".encode(), name="a.csv")
        self.assertAlmostEqual(trace.levels_db[0] - trace.levels_db[8], TRACE.levels_db[0] - TRACE.levels_db[8], places=9)

    def test_every_kind_of_touchstone_number(self) -> None:
        for form, row in (("DB", "{f} {db} 0"), ("MA", "{f} {ma} 0"), ("RI", "{f} {ma} 0")):
            body = "\n".join(row.format(f=f / 1e3, db=v, ma=10 ** (v / 20)) for f, v in zip(*TRACE, strict=True))
            self.check(read_trace(f"! made up\n# KHZ S {form} R 50\n{body}\n".encode(), name="A.S1P"))

    def test_what_is_none_is_refused_with_every_fault(self) -> None:
        for content, name, words in (
            (b"", "a.csv", "empty"),
            (b"\xff\xfe", "a.csv", "not UTF-8"),
            (b"frequency;level\n1;2\n", "a.csv", "names no unit of frequency"),
            (b"frequency (kHz);level\n1;2\n", "a.csv", "neither dB nor volts"),
            (b"f (kHz);dB\n1;x\n-2;3\n", "a.csv", "row 2"),
            (b"f (kHz);dB\n1;2\n2;3\n", "a.csv", "2 points"),
            (b"f (kHz);dB\n1;2\n1;3\n3;3\n4;4\n", "a.csv", "twice"),
            (b"nonsense", "a.s1p", "not Touchstone"),
            (b"# HZ S DB R 50\n1 2\n", "a.s2p", "ouchstone"),
        ):
            with self.subTest(content), self.assertRaises(FileRefused) as caught:
                read_trace(content, name=name)
            self.assertIn(words, str(caught.exception))

    @steady
    @given(st.binary(max_size=300), st.sampled_from(["a.csv", "a.s1p", "a.s2p"]))
    def test_any_bytes_are_a_trace_or_are_refused(self, content: bytes, name: str) -> None:
        try:
            self.assertGreaterEqual(len(read_trace(content, name=name).levels_db), 3)
        except FileRefused as fault:
            self.assertTrue(fault.faults)


class Pictures(unittest.TestCase):
    CURVE = Curves("Response <of> the strip", "Hz", "dB", [Line("a<b", [(460e3 + 1e3 * i, -abs(i - 8.0)) for i in range(17)])])

    def test_names_are_escaped_and_a_file_of_its_own_needs_no_style_sheet(self) -> None:
        self.assertIn("a&lt;b", draw(self.CURVE))
        self.assertNotIn("class=", draw(self.CURVE, standalone=True))

    def test_every_picture_is_well_formed(self) -> None:
        for picture in (
            self.CURVE,
            Stack("two", self.CURVE, self.CURVE),
            Scale("s", "Hz", [Place(1e6, "here", "wanted"), Place(1e6, "there", "danger")]),
            Scale("s", "V", [Place(1e-6, "small"), Place(10.0, "large", "limit")], band=(1e-3, 1.0), log=True),
            Switches("pads", [3, 6, 6], [6], 6, 1),
            Winding("coil", 1e6, 0.01, 0.005, 0.003),
        ):
            root = ElementTree.fromstring(draw(picture, standalone=True))
            self.assertTrue(root.attrib["aria-label"])
            self.assertEqual(len(list(root.iter("{http://www.w3.org/2000/svg}svg"))), 3 if isinstance(picture, Stack) else 1)


def wav(data: np.ndarray, rate: int = 48000) -> bytes:
    out = io.BytesIO()
    wavfile.write(out, rate, data)
    return out.getvalue()


def wav24(samples: np.ndarray, rate: int = 44100) -> bytes:
    body = b"".join(struct.pack("<i", int(x * 8388607))[:3] for x in samples)
    head = b"WAVEfmt " + struct.pack("<IHHIIHH", 16, 1, 1, rate, rate * 3, 3, 24) + b"data" + struct.pack("<I", len(body))
    return b"RIFF" + struct.pack("<I", len(head) + len(body)) + head + body


class Wav(unittest.TestCase):
    WAVE = 0.5 * np.sin(2 * np.pi * 440 * np.arange(4410) / 44100)

    def test_every_width_gives_the_same_samples(self) -> None:
        for name, content, step in (
            ("8", wav(np.uint8(np.round(128 + 127 * self.WAVE))), 1 / 100),
            ("16", wav((32767 * self.WAVE).astype(np.int16)), 1e-4),
            ("24", wav24(self.WAVE), 1e-6),
            ("32", wav((2147483647 * self.WAVE).astype(np.int32)), 1e-8),
            ("float", wav(self.WAVE.astype(np.float32)), 1e-6),
            ("double", wav(self.WAVE), 1e-12),
        ):
            recording = parse_wav(content, name="a.wav")
            self.assertLess(float(np.abs(recording.samples - self.WAVE).max()), step, name)

    def test_of_several_channels_the_first(self) -> None:
        stereo = np.column_stack([self.WAVE, np.zeros_like(self.WAVE)]).astype(np.float32)
        self.assertGreater(float(np.abs(parse_wav(wav(stereo, 8000), name="a.wav").samples).max()), 0.4)

    def test_what_is_no_sound_recording_is_refused_in_words(self) -> None:
        whole = wav((32767 * self.WAVE).astype(np.int16))
        for content, words in (
            (b"", "not a WAV"),
            (b"OggS" + b"\0" * 100, "not a WAV"),
            (whole[:2000], "cut off: 1956 of 8820 bytes"),
            (whole[:30], "cut off"),
            (wav(np.zeros(0, dtype=np.int16)), "no samples"),
            (whole[:20] + b"\x55\x00" + whole[22:], "cannot be read"),
        ):
            with self.assertRaises(FileRefused) as caught:
                parse_wav(content, name="a.wav")
            self.assertIn(words, str(caught.exception))
        with self.assertRaises(FileRefused):
            read_wav("/nowhere/at/all.wav")
        with self.assertRaises(FileRefused):
            read_wav("nul\0byte")

    @steady
    @given(st.binary(max_size=200), st.integers(0, 60))
    def test_damaged_headers_never_get_through_unseen(self, noise: bytes, at: int) -> None:
        whole = bytearray(wav((32767 * self.WAVE[:400]).astype(np.int16)))
        whole[at : at + len(noise)] = noise
        with contextlib.suppress(FileRefused):
            self.assertTrue(bool(np.isfinite(parse_wav(bytes(whole), name="a.wav").samples).all()))
