"""A set that is no longer as its papers have it: what was fitted is kept for it alone, or refused whole."""

import json
import re
from typing import Any

from calm_needle.clock import now_utc
from calm_needle.core.dossier.tables import TABLES
from calm_needle.store import own_dossiers, repairs, shelf
from calm_needle.store.db import transaction
from calm_needle.work.jobs import set_dossier
from calm_needle.work.jobs import shelf as shelf_work
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from tests.support import dossiers
from tests.support.client import TYPED_JOB, PageTest
from tests.support.inside_bench import InsideBench
from tests.support.looked import LOOKED

SEIZED_JOB = 10


class PadderMadeAdjustable(PageTest):
    off = True

    ADDRESS = f"/jobs/{SEIZED_JOB}/dial/bands/MW/padder"

    def own(self) -> int | None:
        with self.workshop.store() as conn:
            return own_dossiers.current(conn, job_of(conn, SEIZED_JOB).set_id)

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
        job = self.post("/jobs", model="petrel-4", serial="7", complaint="dead", bench="typed").headers["Location"]
        self.say_off(int(job.rsplit("/", 1)[1]))
        return job

    def test_a_dial_that_was_read_is_shown_though_its_typical_tank_does_not_reach_the_end_of_its_band(self) -> None:
        form = {
            "name": "Whimbrel 5",
            "safety_class": "unknown",
            "if_hz": "455k",
            "transformers": "2",
            "low_end": "padder",
            "trimmers": "yes",
        }
        bands = "520k-1600k medium wave: 550k 600k 800k 1M 1.4M\n5.8M-18M short wave"
        self.assertEqual(self.post("/models/sketch", **form, bands=bands).status_code, 303)
        job = self.post("/jobs", model="whimbrel-5", serial="7", complaint="dead", bench="typed").headers["Location"]
        job_id = int(job.rsplit("/", 1)[1])
        with self.workshop.store() as conn, transaction(conn):
            for phase in ("intake", "safe start", "health", "intermediate frequency"):
                shelf.mark_phase(conn, job_id=job_id, phase=phase, state="done", remark="", at_utc=now_utc(conn))
        begun = self.post(f"{job}/runs", phase="oscillator and dial").headers["Location"]
        bench = InsideBench(self, int(begun.rsplit("/", 1)[1]))
        bench.press("Enter")
        while not bench.decides:
            if bench.main_act == "It is all set":
                bench.press("Enter")
            number, mega = re.findall(r"([\d.]+).(k|M)Hz", bench.title)[-1]
            at_hz = float(number) * (1e6 if mega == "M" else 1e3)
            bench.type_reading(f"{1.01 * at_hz + 455e3:.0f}")
            bench.press("Enter")
        self.assertEqual(self.get(f"{job}/dial").status_code, 200)

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
        self.assertEqual(self.post(f"{job}/parts", part="R7", value="27", **{"sure-value": "27"}).status_code, 303)
        for near in ("22k", "open", "41k"):
            self.assertEqual(self.post(f"{job}/parts", part="R7", value=near, seen=self.seen(job)).status_code, 303, near)

    def seen(self, job: str) -> str:
        found = re.search(r'name="seen" value="(\d+)"', self.get(f"{job}/parts").get_data(as_text=True))
        assert found
        return found[1]

    def test_a_measured_value_without_its_prefix_is_asked_about_and_one_key_takes_the_other(self) -> None:
        job = self.sketched()
        asked = self.post(f"{job}/parts/add", part="R3 470k 735")
        self.assertEqual(asked.status_code, 422)
        self.assertIn('value="R3 470k 735kΩ" data-meant-for="part"', asked.get_data(as_text=True))
        taken = {"part": "R3 470k 735", "sure-part": "R3 470k 735", "take-part": "R3 470k 735kΩ"}
        self.assertEqual(self.post(f"{job}/parts/add", **taken).status_code, 303)
        self.assertIn("735", self.get(f"{job}/parts").get_data(as_text=True))

    def test_what_cannot_be_one_is_refused_and_said_at_its_field(self) -> None:
        job = self.sketched()
        self.post(f"{job}/parts/add", part="R7 470k", region="output")
        for said, words in (
            ("R7 1k", "There is a R7 already"),
            ("R8", "R7 470k"),
            ("X1 3", "begins with none of"),
            ("R9 0", "must be above"),
            ("R9 4q", "4q"),
            ("V1 6K8", "V1 is a valve"),
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
        self.post(f"{job}/start/climb", **LOOKED)
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

    def test_limits_are_read_as_people_write_them(self) -> None:
        form = {"name": "Petrel 4", "safety_class": "unknown", "if_hz": "465k", "transformers": "2", "low_end": "core"}
        bands = "520–1500 kHz medium wave, 5,8M - 18M short wave; 150-285k long wave"
        self.assertEqual(self.post("/models/sketch", **form, bands=bands).status_code, 303)
        page = self.get("/models/petrel-4").get_data(as_text=True)
        for words in ("520.0 kHz – 1.500 MHz", "5.800 MHz – 18.00 MHz", "150.0 kHz – 285.0 kHz", "Short wave"):
            self.assertIn(words, page.replace(" ", " ").replace(" ", " "))
        text = self.post("/models/sketch", **{**form, "name": "Petrel 5"}, bands="530-1600 medium wave").get_data(as_text=True)
        self.assertIn("a k or an M was left out", text)

    def test_marks_outside_their_band_and_cans_that_are_no_number_are_refused(self) -> None:
        form = {"name": "Petrel 4", "safety_class": "unknown", "if_hz": "465k"}
        text = self.post("/models/sketch", **form, bands="530k-1600k medium wave: 55k 600k", transformers="some").get_data(as_text=True)
        self.assertIn("mark outside the band", text)
        self.assertIn("Count the IF cans", text)


if __name__ == "__main__":
    import unittest

    unittest.main()


class MetAtTheBench(PageTest):
    """An adjuster on the map, a test point while measuring, a printed mark on the dial: each kept for this set, with its source."""

    JOB = f"/jobs/{TYPED_JOB}"

    def own(self) -> dict[str, Any]:
        return dict(json.loads(self.get(f"{self.JOB}/dossier.json").data))

    def test_an_adjuster_that_no_paper_lists_is_led_through_once_it_is_known_what_it_does(self) -> None:
        place = {"side": "below", "x_mm": "40", "y_mm": "60"}
        self.post(f"{self.JOB}/map", own="X1", kind="trimmer", role="signal circuit, high end of long wave", **place)
        band = next(b for b in self.own()["bands"] if b["id"] == "LW")
        self.assertIn("X1", [a for p in band["tracking"] for a in p["signal"]])
        self.post(f"{self.JOB}/map", own="X2", kind="core", role="", **{**place, "x_mm": "80"})  # not known yet: on the map alone
        self.assertNotIn("X2", [a["id"] for a in self.own()["adjusters"]])
        self.post(f"{self.JOB}/map", own="X3", kind="core", role="a winding of the IF strip", **{**place, "x_mm": "120"})
        steps = [s for g in self.own()["procedure"] if g["phase"] == "intermediate frequency" for s in g["steps"]]
        self.assertIn(["X3"], [s["adjusters"] for s in steps])
        refused = self.post(f"{self.JOB}/map", own="X4", kind="test point", role="a winding of the IF strip", **{**place, "x_mm": "150"})
        self.assertIn("A test point adjusts nothing", refused.get_data(as_text=True))
        self.assertNotRegex(self.get(f"{self.JOB}/map").get_data(as_text=True).split("Found, and beside what")[1], r"\bX4\b")

    def test_a_test_point_is_judged_at_the_safe_start_and_a_mark_stands_on_the_scale(self) -> None:
        point = {"stage": "audio", "name": "V4 anode tag", "volts": "210", "source": "own papers"}
        self.assertEqual(self.post(f"{self.JOB}/start/point", **point).status_code, 303)
        self.assertEqual(self.post(f"{self.JOB}/start/point", **point).status_code, 422)
        self.post(f"{self.JOB}/start/climb", **LOOKED)
        self.assertIn("V4 anode tag", self.get(f"{self.JOB}/start").get_data(as_text=True))
        for mark, mm, words in (("640k", "", ""), ("640k", "", "there already"), ("64k", "", "outside the"), ("x", "", "Write it")):
            answer = self.post(f"{self.JOB}/dial/bands/MW/marks", mark=mark, mm=mm)
            self.assertEqual(answer.status_code, 422 if words else 303, mark)
            self.assertIn(words, answer.get_data(as_text=True))
        self.assertEqual(self.post(f"{self.JOB}/dial/bands/MW/marks", mark="900k", mm="104").status_code, 303)
        marks = {m["dial_hz"]: m for m in next(b for b in self.own()["bands"] if b["id"] == "MW")["dial"]["marks"]}
        self.assertEqual((marks[900e3]["position_mm"], marks[900e3]["from"], marks[640e3]["from"]), (104.0, "measured here", "typical"))
        self.assertTrue(marks[600e3]["position_mm"] < marks[640e3]["position_mm"] < marks[700e3]["position_mm"])


class Editor(PageTest):
    PAGE = f"/jobs/{TYPED_JOB}/dossier"

    def form(self, table: str) -> dict[str, str]:
        """What the page of a table would send, untouched."""
        with self.workshop.store() as conn:
            view = set_dossier.view(conn, TYPED_JOB, table)
        return {f"{c.key}-{n}": text for n, row in enumerate(view.rows) for c, text in zip(view.table.columns, row, strict=True)}

    def text(self, path: str = "") -> str:
        return self.get(self.PAGE + path).get_data(as_text=True)

    def test_every_table_opens_and_nothing_is_kept_where_nothing_was_changed(self) -> None:
        for name in TABLES:
            self.assertIn("Keep it as a version", self.text(f"/{name}"))
            self.assertIn("Nothing was changed.", self.post(f"{self.PAGE}/{name}", **self.form(name)).get_data(as_text=True))
        self.assertEqual(self.get(f"{self.PAGE}/nothing").status_code, 404)

    def test_a_change_is_a_version_that_can_be_undone_gone_back_to_and_compared(self) -> None:
        first = {**self.form("parts"), "nominal-0": "33k"}
        self.assertEqual(self.post(f"{self.PAGE}/parts", **first).status_code, 303)
        self.post(f"{self.PAGE}/bands", **{**self.form("bands"), "name-0": "long waves"})
        self.assertIn("R1 › nominal: 22000 → 33000", self.text("/compare"))
        self.assertIn("2 differences", self.text("/compare"))
        self.assertEqual(self.post(f"{self.PAGE}/bands/undo").status_code, 303)
        self.assertIn("1 difference", self.text("/compare"))
        self.post(f"{self.PAGE}/bands/undo")  # of the undoing: what stood before it stands again
        with self.workshop.store() as conn:
            versions = set_dossier.view(conn, TYPED_JOB, "facts").versions
        self.assertEqual(self.post(f"{self.PAGE}/facts/go-back", version=str(versions[-1].id)).status_code, 303)
        self.assertIn("R1 › nominal", self.text("/compare"))
        self.assertEqual(self.post(f"{self.PAGE}/facts/go-back", version="999").status_code, 404)

    def test_what_contradicts_itself_is_refused_whole_with_every_fault_and_the_typed_stays(self) -> None:
        form = {**self.form("bands"), "f_low_hz-0": "300k", "name-1": "middle"}
        answer = self.post(f"{self.PAGE}/bands", **form)
        self.assertEqual(answer.status_code, 422)
        page = answer.get_data(as_text=True)
        self.assertIn("is not above f_low_hz", page)
        self.assertIn('value="middle"', page)
        self.assertNotIn("middle", self.text("/bands"))

    def test_a_run_keeps_the_dossier_it_was_begun_with(self) -> None:
        run_id = self.begin_typed_run()
        self.post(f"{self.PAGE}/parts", **{**self.form("parts"), "nominal-0": "33k"})
        with self.workshop.desk(run_id).book() as book:
            self.assertEqual(book.model.parts[0].nominal, 22e3)
        self.assertIn("R1 › nominal", self.text(f"/compare?a=run-{run_id}&b=now"))

    def test_a_newer_dossier_of_the_model_is_offered_and_loses_nothing_that_was_typed(self) -> None:
        self.post(f"{self.PAGE}/parts", **{**self.form("parts"), "nominal-0": "33k"})
        newer = dossiers.data("halvern-6b")
        newer["description"] = "Second issue."
        with self.workshop.store() as conn:
            shelf_work.take_in_dossier(conn, json.dumps(newer).encode(), name="halvern-6b.json")
        self.assertIn("There is a newer dossier of the Halvern 6B", self.text())
        self.assertEqual(self.post(f"{self.PAGE}/facts/take-over").status_code, 303)
        now = json.loads(self.get(f"{self.PAGE}.json").data)
        self.assertEqual((now["description"], now["parts"][0]["nominal"]), ("Second issue.", 33e3))
        self.assertNotIn("There is a newer dossier", self.text())
