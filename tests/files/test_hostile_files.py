"""Files that unpack to far more than they seem, or hold what cannot be kept."""

import io
import json
import subprocess
import sys
import unittest
from functools import partial

from PIL import Image

from calm_needle.errors import FileRefused
from calm_needle.files.dossiers import MOST_FAULTS, load_dossier
from calm_needle.files.job_file import read_job
from calm_needle.files.photographs import MOST_BYTES
from tests.support import halvern


class WhatUnpacksLarge(unittest.TestCase):
    def test_a_small_file_of_many_pixels_takes_no_more_memory_than_its_budget(self) -> None:
        program = (
            "import resource, sys; from calm_needle.files.photographs import take_in; from calm_needle.errors import FileRefused\n"
            "import calm_needle.files.photographs as p; from PIL import Image; Image.init()\n"
            "content = sys.stdin.buffer.read(); before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss\n"
            "try: take_in(content, name=sys.argv[1]); said = 'taken'\n"
            "except FileRefused: said = 'refused'\n"
            "print(said, (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024)\n"
        )
        for size, mode, wanted in (((9500, 6200), "P", "refused"), ((5000, 4100), "RGBA", "taken"), ((5000, 4100), "P", "taken")):
            out = io.BytesIO()
            Image.new(mode, size).save(out, "PNG")
            command = [sys.executable, "-c", program, "a.png"]
            said = subprocess.run(command, input=out.getvalue(), capture_output=True, check=True, timeout=120).stdout.split()
            self.assertEqual(said[0].decode(), wanted, size)
            self.assertLess(int(said[1]), MOST_BYTES, (size, mode))

    def test_a_dossier_of_sixty_thousand_faults_is_refused_with_those_that_are_shown(self) -> None:
        data = halvern.data()
        data["stages"] = [{}] * 1999
        data["adjusters"] = [{}] * 60_000
        with self.assertRaises(FileRefused) as caught:
            load_dossier(json.dumps(data).encode(), name="many.json")
        self.assertLessEqual(len(caught.exception.faults), MOST_FAULTS)

    def test_a_job_of_nothing_but_brackets_is_refused_before_it_is_read(self) -> None:
        for content in (b'{"content": [' + b"[]," * 20_000_000 + b"1]}", b'{"a":' * 17_000_000):
            with self.assertRaisesRegex(FileRefused, "million values"):
                read_job(content, name="brackets.json", tables={})

    def test_a_name_that_stands_twice_among_many_is_found_in_one_pass(self) -> None:
        many = ",".join(f'"{i}":0' for i in [*range(20_000), 19_999])
        for read, content in ((partial(read_job, tables={}), f'{{"content":{{{many}}}}}'), (load_dossier, f"{{{many}}}")):
            with self.subTest(read), self.assertRaisesRegex(FileRefused, "19999"):
                read(content.encode(), name="twice.json")  # type: ignore[operator]


class OddDossiers(unittest.TestCase):
    def test_what_cannot_be_kept_or_shown_is_refused_by_its_path(self) -> None:
        for path, spoil in (
            ("chassis.width_mm", lambda d: d["chassis"].update(width_mm=10**39)),
            ("bands[0].f_high_hz", lambda d: d["bands"][0].update(f_high_hz=1e300)),
            ("description", lambda d: d.update(description="half a \ud800 character")),
            ("key", lambda d: d.update(key="halvern-6b\n")),
            ("adjusters[1].id", lambda d: d["adjusters"][1].update(id="IFT1-lower\n")),
            ("stages[0].name", lambda d: d["stages"][0].update(name="V1\x00")),
            ("x-notes[0]", lambda d: d.update({"x-notes": [-1e16]})),
        ):
            data = halvern.data()
            spoil(data)  # type: ignore[no-untyped-call]
            with self.subTest(path), self.assertRaises(FileRefused) as caught:
                load_dossier(json.dumps(data).encode(), name="odd.json")
            self.assertIn(path, [f.path for f in caught.exception.faults])
        for number, words in (
            ("1e-40", "smaller than any number"),
            ("5e-324", "smaller than any number"),
            ("1e999", "larger than any number"),
        ):
            with self.assertRaisesRegex(FileRefused, words):
                load_dossier(halvern.content().replace(b'"f_low_hz": 1', f'"f_low_hz": {number}, "x": 1'.encode(), 1), name="tiny.json")
        with self.assertRaises(FileRefused):
            load_dossier(halvern.content().replace(b'"width_mm": 3', b'"width_mm": 1' + b"0" * 400, 1), name="digits.json")


if __name__ == "__main__":
    unittest.main()
