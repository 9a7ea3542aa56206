"""The command as a shell sees it."""

import json
import subprocess
import sys
import unittest
from pathlib import Path

GOLDEN = json.loads((Path(__file__).parents[1] / "golden/compute.json").read_text())


def command(*arguments: str, typed: str = "") -> "subprocess.CompletedProcess[str]":
    return subprocess.run([sys.executable, "-m", "calm_needle.cli", *arguments], input=typed, capture_output=True, text=True, check=False)


class Compute(unittest.TestCase):
    def test_an_answer_is_one_json_object(self) -> None:
        done = command("compute", "frequency-plan", "dial_hz=1.4 MHz", "if_hz=468k", "side=above")
        answer = json.loads(done.stdout)
        self.assertEqual(done.returncode, 0)
        self.assertEqual(answer["results"]["image_hz"], 2_336_000.0)
        self.assertEqual(set(answer), {"name", "inputs", "results", "notes"})

    def test_misuse_is_two_and_no_answer_is_one_with_a_sentence_and_no_trace(self) -> None:
        for arguments, code, words in (
            (("resonnance",), 2, "There is no calculator"),
            (("gain", "from=1"), 2, "There are: from_v, to_v"),
            (("gain", "from_v=1"), 2, "wants to_v too"),
            (("gain", "from_v=1", "to_v=x"), 2, "to_v=x"),
            (("gain", "from_v"), 2, "is no key with a value"),
            (("gain", "from_v=0", "to_v=1"), 1, "from_v is 0"),
            (("frequency-plan", "dial_hz=100k", "if_hz=468k", "side=below"), 1, "oscillator below"),
            (("attenuator", "pads_db=" + "3;" * 40, "loss_db=3"), 1, "give at most 16"),
            (("attenuator", "pads_db=" + "3;" * 5000, "loss_db=3"), 1, "pads_db is a list of 5000"),
        ):
            done = command("compute", *arguments)
            self.assertEqual(done.returncode, code, arguments)
            self.assertIn(words, done.stderr)
            self.assertNotIn("Traceback", done.stderr)

    def test_lines_answer_every_reference_case_and_survive_what_is_none(self) -> None:
        questions = [json.dumps({"name": c["name"], "inputs": c["inputs"]}) for c in GOLDEN]
        odd = ["", "{", "[]", '{"name": 3, "inputs": {}}', '{"name": "gain", "inputs": {"from_v": "1k", "to_v": null}}', "[" * 5000]
        done = command("compute", "--lines", typed="\n".join([*questions, *odd]) + "\n")
        answers = [json.loads(line) for line in done.stdout.splitlines()]
        self.assertEqual(len(answers), len(questions) + len(odd) - 1)
        for case, answer in zip(GOLDEN, answers, strict=False):
            if "error" in answer:
                self.assertIn("There is no calculator", answer["error"])
                continue
            for key, wanted in case["results"].items():
                self.assertLessEqual(abs(answer["results"][key] - wanted), case["rtol"] * abs(wanted) + case["atol"].get(key, 0.0), case)
        self.assertTrue(all("error" in a for a in answers[len(questions) :]))
