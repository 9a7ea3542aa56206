import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

from calm_needle.cli import main
from calm_needle.errors import FieldsRefused
from calm_needle.files.needle_csv import read_needle_csv
from calm_needle.work import watching
from tests.support.needle_streams import CLASSES, make

KEYS = {"past_s", "proven_s", "take_s", "take_below_db", "slips", "end"}


def stream(name: str, known: str) -> dict[str, object]:
    return make(CLASSES[name], name, 3, known)


class Lines(unittest.TestCase):
    def asked(self, *lines: str) -> list[dict[str, object]]:
        out = io.StringIO()
        with patch("sys.stdin", io.StringIO("\n".join(lines) + "\n")), contextlib.redirect_stdout(out):
            self.assertEqual(main(["watch", "--lines"]), 0)
        return [json.loads(line) for line in out.getvalue().splitlines()]

    def test_each_stream_is_answered_in_one_line(self) -> None:
        twice, dead = self.asked(json.dumps(stream("twice-through", "way")), json.dumps(stream("dead-core", "way")))
        self.assertEqual(set(twice), KEYS)
        past, proven = twice["past_s"], twice["proven_s"]
        assert isinstance(past, float) and isinstance(proven, float)
        self.assertLess(past, proven)
        self.assertEqual((dead["proven_s"], dead["take_s"], dead["slips"]), (None, None, True))

    def test_what_is_no_stream_is_said_and_the_next_is_answered(self) -> None:
        first, second, third = self.asked("nonsense", '{"readings": [{"t_s": "x"}]}', json.dumps(stream("plain-peak", "turns")))
        self.assertIn("A stream is", str(first["error"]))
        self.assertIn("reading 1: t_s must be a number", str(second["error"]))
        self.assertEqual(set(third), KEYS)

    def test_times_that_fall_are_refused(self) -> None:
        with self.assertRaises(FieldsRefused):
            watching.read_stream({"readings": [{"t_s": 1, "level_db": 0}, {"t_s": 0, "level_db": 0}]})


class Recorded(unittest.TestCase):
    def test_each_change_of_verdict_is_printed_with_its_time(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "needle.csv"
            rows = [f"{r['t_s']},{10 ** (r['level_db'] / 20)},{r['way']}" for r in stream("twice-through", "way")["readings"]]  # type: ignore[attr-defined]
            file.write_text("\n".join(["t_s,v,way", *rows]) + "\n", encoding="utf-8")
            out = io.StringIO()
            with contextlib.redirect_stdout(out):
                self.assertEqual(main(["watch", str(file)]), 0)
        said = out.getvalue()
        for words in ("hands_off", "rising", "past once", "return", "proven"):
            self.assertIn(words, said)

    def test_every_wrong_line_is_named(self) -> None:
        with self.assertRaises(FieldsRefused) as caught:
            read_needle_csv(["t_s,level_db", "0,1", "x,2", "1,"])
        self.assertEqual(set(caught.exception.faults), {"line 3", "line 4"})
        with self.assertRaises(FieldsRefused):
            read_needle_csv(["a,b", "1,2"])
