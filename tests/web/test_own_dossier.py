"""A set that is no longer as its papers have it: what was fitted is kept for it alone, or refused whole."""

import json
import re

from calm_needle.store import repairs, shelf
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from tests.support.client import PageTest

SEIZED_JOB = 10


class PadderMadeAdjustable(PageTest):
    ADDRESS = f"/jobs/{SEIZED_JOB}/dial/bands/MW/padder"

    def own(self) -> int | None:
        with self.workshop.store() as conn:
            return shelf.own_dossier(conn, job_of(conn, SEIZED_JOB).set_id)

    def test_it_is_this_set_s_alone_and_its_model_stays_as_it_is(self) -> None:
        self.assertEqual(self.post(self.ADDRESS, seized="L2", looked_over="yes").status_code, 303)
        self.assertIsNotNone(self.own())
        with self.workshop.store() as conn:
            job = job_of(conn, SEIZED_JOB)
            self.assertTrue(model_of_dossier(conn, job.dossier_id).adjuster("L2").seized)
            model = shelf.model_by_key(conn, job.model_key)
            assert model
            self.assertFalse(model_of_dossier(conn, model.dossier_id).adjuster("L2").seized)
            self.assertIn("C11", [r.part for r in repairs.repairs_of_job(conn, SEIZED_JOB)])
        again = self.post(self.ADDRESS, seized="", looked_over="yes")
        self.assertEqual(again.status_code, 404)

    def test_what_is_refused_leaves_nothing_behind(self) -> None:
        for form, words in (
            ({"seized": "", "looked_over": ""}, "Look it over first"),
            ({"seized": "T9", "looked_over": "yes"}, "Choose one of this band’s adjusters"),
        ):
            answer = self.post(self.ADDRESS, **form)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.get_data(as_text=True))
        self.assertEqual(self.post(f"/jobs/{SEIZED_JOB}/dial/bands/XX/padder", looked_over="yes").status_code, 404)
        self.assertIsNone(self.own())


class PartsAsTheyAreMet(PageTest):
    def sketched(self) -> str:
        form = {"name": "Petrel 4", "safety_class": "live chassis", "if_hz": "465k", "bands": "530k-1600k medium wave", "transformers": "2"}
        self.assertEqual(self.post("/models/sketch", **form, low_end="padder", trimmers="yes").status_code, 303)
        return self.post("/jobs", model="petrel-4", serial="7", complaint="dead", bench="typed").headers["Location"]

    def test_a_part_is_added_as_one_says_it_then_measured_and_stands_in_the_set_s_file(self) -> None:
        job = self.sketched()
        self.assertIn("No parts are listed yet", self.get(f"{job}/parts").get_data(as_text=True))
        for part, region in (("R7 470k", "output"), ("C4 10n", "output"), ("L2 12", "coils"), ("VR1 500k", "")):
            self.assertEqual(self.post(f"{job}/parts/add", part=part, region=region).status_code, 303, part)
        self.assertEqual(self.post(f"{job}/parts", part="R7", value="735k").status_code, 303)
        self.assertEqual(self.post(f"{job}/parts/add", part="R8 1k open", region="output").status_code, 303)
        page = self.get(f"{job}/parts").get_data(as_text=True)
        for words in ("+56", "open"):
            self.assertIn(words, page)
        out = json.loads(self.get(f"{job}/dossier.json").data)
        self.assertEqual(
            [(p["id"], p["kind"], p["nominal"]) for p in out["parts"]][:2], [("R7", "resistor", 470e3), ("C4", "capacitor", 1e-8)]
        )
        self.assertEqual(json.loads(self.get("/models/petrel-4/dossier.json").data).get("parts", []), [])
        self.assertIn("a dossier of its own", self.get(job).get_data(as_text=True))

    def test_a_prefix_that_was_forgotten_is_asked_about_once_and_kept_if_it_was_meant(self) -> None:
        job = self.sketched()
        self.post(f"{job}/parts/add", part="R7 27k", region="output")
        answer = self.post(f"{job}/parts", part="R7", value="27")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("27.0\u2009Ω, or 27.0\u2009kΩ?", answer.get_data(as_text=True))
        self.assertEqual(self.post(f"{job}/parts", part="R7", value="27", sure="27").status_code, 303)
        for near in ("22k", "open", "41k"):
            self.assertEqual(self.post(f"{job}/parts", part="R7", value=near, seen=self.seen(job)).status_code, 303, near)

    def seen(self, job: str) -> str:
        found = re.search(r'name="seen" value="(\d+)"', self.get(f"{job}/parts").get_data(as_text=True))
        assert found
        return found[1]

    def test_what_cannot_be_one_is_refused_and_said_at_its_field(self) -> None:
        job = self.sketched()
        self.post(f"{job}/parts/add", part="R7 470k", region="output")
        for said, words in (
            ("R7 1k", "There is a R7 already"),
            ("R8", "R7 470k"),
            ("X1 3", "begins with none of"),
            ("R9 0", "must be above"),
            ("R9 4q", "4q"),
        ):
            answer = self.post(f"{job}/parts/add", part=said)
            self.assertEqual(answer.status_code, 422, said)
            self.assertIn(words, answer.get_data(as_text=True), said)
        self.assertEqual(len(json.loads(self.get(f"{job}/dossier.json").data)["parts"]), 1)

    def test_all_that_are_out_in_a_region_are_replaced_in_one_act_and_have_one_test(self) -> None:
        job = self.sketched()
        for part in ("R1 1k 1.6k", "R2 10k 19k", "R3 47k 48k", "R4 1M 1.9M"):
            self.post(f"{job}/parts/add", part=part, region="output" if part < "R4" else "supply")
        page = self.get(f"{job}/repairs").get_data(as_text=True)
        self.assertIn("all 2 that are out, output: R1, R2", page)
        self.assertNotIn("out:supply", page)
        self.assertIn("share what it says", page)
        self.assertEqual(self.post(f"{job}/repairs", part="out:output", what="replaced", looked_over="yes").status_code, 303)
        job_id = int(job.rsplit("/", 1)[1])
        with self.workshop.store() as conn:
            made = repairs.repairs_of_job(conn, job_id)
        self.assertEqual([(r.part, r.value) for r in made], [("R1", 1e3), ("R2", 10e3)])
        again = self.post(f"{job}/repairs", part="out:output", what="replaced", looked_over="yes")
        self.assertIn("Choose the part that was changed", again.get_data(as_text=True))


class WhatShouldStandThere(PageTest):
    def test_a_rail_of_which_nobody_wrote_is_judged_once_it_is_said_from_where_that_is_known(self) -> None:
        form = {"name": "Petrel 4", "safety_class": "unknown", "if_hz": "465k", "bands": "530k-1600k medium wave"}
        self.post("/models/sketch", **form)
        job = self.post("/jobs", model="petrel-4", serial="7", complaint="dead", bench="typed").headers["Location"]
        self.assertIn("What should stand there", self.get(f"{job}/start").get_data(as_text=True))
        for wrong, words in (
            ({"expected": "lots"}, "lots"),
            ({"expected": "0"}, "between 0 and"),
            ({"point": "moon"}, "Choose one of the rails"),
        ):
            said = {"point": "rail", "expected": "240", "source": "own papers", **wrong}
            answer = self.post(f"{job}/start/expected", **said)
            self.assertEqual(answer.status_code, 422, wrong)
            self.assertIn(words, answer.get_data(as_text=True))
        self.assertEqual(self.post(f"{job}/start/expected", point="rail", expected="240", source="own papers").status_code, 303)
        self.post(f"{job}/start/climb")
        seen = re.search(r'name="seen" value="(\d+)"', self.get(f"{job}/start").get_data(as_text=True))
        assert seen
        self.post(f"{job}/start/read", **{"current": "60m", "rail-rail": "12", "seen": seen[1]})
        self.assertIn("something holds it down", self.get(f"{job}/start").get_data(as_text=True))
        point = json.loads(self.get(f"{job}/dossier.json").data)["stages"][-1]["test_points"][0]
        self.assertEqual((point["expected_v"], point["from"]), (240.0, "own papers"))

    def test_what_the_papers_say_is_not_written_over(self) -> None:
        self.assertEqual(self.post("/jobs/4/start/expected", point="rail", expected="24", source="own papers").status_code, 422)
        self.assertNotIn("What should stand there", self.get("/jobs/4/start").get_data(as_text=True))


class TwoMinutes(PageTest):
    def test_a_sketch_counts_what_turns_and_says_what_is_typical(self) -> None:
        bands = "530k-1600k medium wave: 550k 600k 800k 1M 1.4M\n6M-18M short wave"
        form = {"name": "Petrel 4", "safety_class": "unknown", "if_hz": "465k", "bands": bands, "transformers": "2", "cores": "one"}
        self.assertEqual(self.post("/models/sketch", **form, low_end="core", trimmers="yes").status_code, 303)
        page = self.get("/models/petrel-4").get_data(as_text=True)
        self.assertIn("Typical, not from papers", page)
        for words in ("Peak the IFT2", "medium wave oscillator core", "short wave aerial trimmer"):
            self.assertIn(words, page)

    def test_marks_outside_their_band_and_cans_that_are_no_number_are_refused(self) -> None:
        form = {"name": "Petrel 4", "safety_class": "unknown", "if_hz": "465k"}
        text = self.post("/models/sketch", **form, bands="530k-1600k medium wave: 55k 600k", transformers="some").get_data(as_text=True)
        self.assertIn("mark outside the band", text)
        self.assertIn("Count the IF cans", text)


if __name__ == "__main__":
    import unittest

    unittest.main()
