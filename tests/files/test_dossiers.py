import json
import unittest
from collections.abc import Callable
from importlib import resources
from typing import Any

from calm_needle.core.dossier.read import read_model
from calm_needle.errors import FileRefused
from calm_needle.files.dossiers import LARGEST_BYTES, load_dossier
from calm_needle.files.readings_csv import CsvReading, write_readings
from calm_needle.work import demo_world
from tests.support import halvern

Spoil = Callable[[dict[str, Any]], object]


def put(data: Any, value: object, *path: str | int) -> None:
    for part in path[:-1]:
        data = data[part]
    data[path[-1]] = value


class TakenWholeOrRefusedWhole(unittest.TestCase):
    def faults(self, *spoil: Spoil) -> list[str]:
        data = halvern.data()
        for one in spoil:
            one(data)
        with self.assertRaises(FileRefused) as caught:
            load_dossier(json.dumps(data).encode(), name="spoiled.json")
        self.assertIn("Nothing was changed", str(caught.exception))
        return [str(f) for f in caught.exception.faults]

    def test_the_halvern_is_taken_and_means_what_it_says(self) -> None:
        model = read_model(load_dossier(halvern.content(), name="halvern-6b.json"))
        self.assertEqual(model.if_hz, 468e3)
        self.assertEqual(len(model.bands), 3)
        self.assertEqual({a.transformer for a in model.adjusters if a.transformer}, {"IFT1", "IFT2"})

    def test_every_dossier_that_ships_is_right(self) -> None:
        for name in demo_world.DOSSIERS:
            content = resources.files("calm_needle.demo").joinpath(f"dossiers/{name}.json").read_bytes()
            self.assertEqual(load_dossier(content, name=name)["key"], name)

    def test_unknown_keys_are_kept(self) -> None:
        data = halvern.data()
        put(data, {"ours": 1}, "bands", 0, "x-own-notes")
        kept = load_dossier(json.dumps(data).encode(), name="x.json")
        self.assertEqual(kept["bands"][0]["x-own-notes"], {"ours": 1})

    def test_every_fault_is_told_by_its_path(self) -> None:
        said = self.faults(
            lambda d: put(d, "kettle", "kind"),
            lambda d: put(d, -3, "adjusters", 0, "travel_turns"),
            lambda d: d["stages"][1].pop("name"),
        )
        self.assertEqual(len(said), 3)
        for path in ("kind: ", "adjusters[0].travel_turns: ", "stages[1]: name is missing"):
            self.assertTrue(any(s.startswith(path) for s in said), (path, said))

    def test_what_is_missing_is_said_once(self) -> None:
        with self.assertRaises(FileRefused) as caught:
            load_dossier(b'{"format": "calm-needle/model", "version": 1}', name="x.json")
        self.assertEqual(len(caught.exception.faults), 1)
        self.assertIn("stages", str(caught.exception.faults[0]))

    def test_a_circuit_that_points_nowhere_is_refused(self) -> None:
        said = self.faults(
            lambda d: put(d, "rial", "simulation", "supply", "points", "rail"),
            lambda d: put(d, "R99", "simulation", "supply", "paths", 0, "part"),
            lambda d: put(d, "C99", "simulation", "faults", 0, "part"),
            lambda d: put(d, "nowhere", "parts", 0, "stage"),
        )
        for words in (
            "no node “rial”",
            "supply.paths[0].part: there is no part “R99”",
            "faults[0].part: there is no part “C99”",
            "no stage “nowhere”",
        ):
            self.assertTrue(any(words in s for s in said), (words, said))

    def test_contradictions_are_found_too(self) -> None:
        said = self.faults(
            lambda d: put(d, 1.6e9, "bands", 1, "tracking", 0, "dial_hz"),
            lambda d: put(d, ["nowhere"], "stages", 0, "feeds"),
            lambda d: put(d, ["T9"], "procedure", 1, "steps", 0, "adjusters"),
            lambda d: put(d, d["adjusters"][0]["id"], "adjusters", 1, "id"),
            lambda d: put(d, ["ghost"], "simulation", "waxed"),
        )
        for sentence in (
            "bands[1].tracking[0].dial_hz: 1.6e+09 is outside the band",
            "stages[0].feeds[0]: there is no stage “nowhere”",
            "procedure[1].steps[0].adjusters[0]: there is no adjuster “T9”",
            "adjusters[1].id: ",
            "simulation.waxed[0]: there is no adjuster “ghost”",
        ):
            self.assertTrue(any(s.startswith(sentence) for s in said), (sentence, said))

    def test_kilo_and_mega_swapped_are_asked_about(self) -> None:
        said = self.faults(
            lambda d: put(d, 468e6, "intermediate_frequencies", 0, "if_hz"),
            lambda d: put(d, 1605e6, "bands", 1, "f_high_hz"),
        )
        self.assertIn(
            "intermediate_frequencies[0].if_hz: 468.0\u2009MHz cannot be the intermediate frequency of a broadcast set; "
            "was 468.0\u2009kHz meant?",
            said,
        )
        self.assertTrue(any(s.startswith("bands[1].f_high_hz: 1.605\u2009GHz") and "1.605\u2009MHz" in s for s in said), said)

    def test_what_is_no_dossier_at_all_is_refused_in_words(self) -> None:
        for content, words in (
            (b"", "this is not JSON"),
            (b"[1, 2", "this is not JSON"),
            (b"\xff\xfe\x00", "not UTF-8"),
            (b'{"a": NaN}', "not a number JSON knows"),
            (b'{"a": 1, "a": 2}', "stands twice"),
            (b"[" * 100_000, "nested too deeply"),
            (b" " * (LARGEST_BYTES + 1), "bytes long"),
            (b"[]", "object"),
        ):
            with self.subTest(content[:20]), self.assertRaises(FileRefused) as caught:
                load_dossier(content, name="x.json")
            self.assertIn(words, str(caught.exception))

    def test_numbers_beyond_a_float_are_refused(self) -> None:
        with self.assertRaises(FileRefused):
            load_dossier(halvern.content().replace(b": 468000.0", b": 1e999", 1), name="x.json")


class ReadingsOut(unittest.TestCase):
    def test_one_reading_a_row_and_nothing_a_spreadsheet_would_run(self) -> None:
        row = CsvReading(1, "2026-11-24T10:00:00.000Z", "if-1", 1, "typed", 0.412, "V", 468e3, None, None, "read by eye", "=HYPERLINK(1)")
        lines = write_readings([row]).split("\r\n")
        self.assertEqual(lines[0].split(",")[:2], ["reading", "at_utc"])
        self.assertEqual(lines[1], "1,2026-11-24T10:00:00.000Z,if-1,1,typed,0.412,V,468000.0,,,read by eye,'=HYPERLINK(1)")
