"""The pages before alignment, act by act: bands, changes, what is waited for, what falls due, intake."""

import json
import re

from calm_needle.store import intake, own_dossiers, repairs, runs, shelf
from calm_needle.work.jobs.shelf import begin_run
from calm_needle.work.soundness import safe_start
from tests.support.client import TYPED_JOB, PageTest

JOB = f"/jobs/{TYPED_JOB}"
BOAT_HOUSE = "/jobs/4"


class Bands(PageTest):
    off = True

    def keep(self, **form: str) -> str:
        self.assertEqual(self.post(f"{JOB}/bands", coupling="dummy aerial", was_on="yes", **form).status_code, 303)
        return self.get(f"{JOB}/bands").get_data(as_text=True)

    def test_a_row_that_is_left_blank_says_why_and_is_no_longer_blank(self) -> None:
        self.assertIn("or say why not", self.get(f"{JOB}/bands").get_data(as_text=True))
        page = self.keep(**{"why-SW": "its coil cannot be reached"})
        self.assertIn("Left blank: its coil cannot be reached.", page)
        self.assertIn("Still blank: long wave, medium wave.", page)

    def test_an_oscillator_that_runs_sends_one_before_the_mixer_and_one_that_does_not_is_said(self) -> None:
        page = self.keep(**{"generator-MW": "dead", "oscillator-MW": "alive", "generator-LW": "dead", "oscillator-LW": "dead"})
        self.assertIn("though its oscillator runs: look before the mixer", page)
        self.assertIn("Its oscillator was not seen to run.", page)

    def test_noise_in_the_room_holds_up_a_level_on_its_band_until_it_is_gone(self) -> None:
        noise = {"kind": "room noise", "band": "medium wave", "source": "the lamp", "off_v": "20m"}
        self.post(f"{JOB}/notes", **noise, on_v="100m")
        self.assertIn("Room noise is 14 dB above", self.keep(**{"level-MW": "60µ", "generator-MW": "alive"}))
        self.post(f"{JOB}/notes", **noise, on_v="21m")
        self.assertNotIn("Room noise is", self.get(f"{JOB}/bands").get_data(as_text=True))

    def test_the_worst_finding_stands_before_what_is_still_blank(self) -> None:
        page = self.keep(**{"coil-MW": "open"})
        self.assertLess(page.index("To be found before aligning: medium wave"), page.index("Still blank:"))
        self.assertIn("Bands that fail", self.get(JOB).get_data(as_text=True))


class TheTwoHalvesOfARow(PageTest):
    off = True

    def keep(self, status: int = 303, **form: str) -> str:
        answer = self.post(f"{BOAT_HOUSE}/bands", coupling="dummy aerial", was_on="yes", **form)
        self.assertEqual(answer.status_code, status)
        return answer.get_data(as_text=True) if status == 422 else self.get(f"{BOAT_HOUSE}/bands").get_data(as_text=True)

    def test_dead_with_a_level_and_a_level_that_was_emptied_are_asked_about(self) -> None:
        self.assertIn("a dead band has no level", self.keep(422, **{"generator-MW": "dead", "level-MW": "60µ"}))
        self.keep(**{"generator-MW": "alive", "level-MW": "60µ"})
        self.assertIn("emptying it takes nothing back", self.keep(422, **{"generator-MW": "alive", "level-MW": ""}))
        text = self.keep(**{"generator-MW": "dead", "level-MW": ""})
        self.assertIn("Dead from the generator", text)
        self.assertNotIn('value="60.0', text)

    def test_a_coil_that_was_mended_is_metered_again(self) -> None:
        self.assertIn("Its aerial coil is open", self.keep(**{"coil-LW": "open"}))
        self.assertEqual(self.post(f"{BOAT_HOUSE}/repairs", part="L5", what="mended", looked_over="yes").status_code, 303)
        self.assertNotIn("Its aerial coil is open", self.get(f"{BOAT_HOUSE}/bands").get_data(as_text=True))


class Changes(PageTest):
    off = True

    def record(self, **form: str) -> int:
        return self.post(f"{JOB}/repairs", looked_over="yes", **form).status_code

    def words(self) -> list[str]:
        with self.workshop.store() as conn:
            return [r.words for r in repairs.repairs_of_job(conn, TYPED_JOB)]

    def test_a_rewind_wants_direction_and_leads_wherever_it_is_logged(self) -> None:
        self.assertEqual(self.record(part="IFT1-p", what="wound anew"), 422)
        self.assertEqual(self.record(part="IFT1-p", what="wound anew", direction="up", start_lead="1", finish_lead="2"), 422)
        self.assertEqual(self.record(part="IFT1-p", what="wound anew", direction="clockwise", start_lead="1", finish_lead="2"), 303)
        self.assertIn("clockwise", self.words()[0])

    def test_faults_are_listed_in_the_order_found_and_each_is_closed_by_its_own_retest(self) -> None:
        for part, value in (("R3", "470"), ("R1", "60k")):
            self.post(f"{JOB}/parts", part=part, value=value)
        self.record(part="R3", what="replaced", old_part="kept with the set")
        self.assertIn("old part kept with the set", self.words()[0])
        page = self.get(f"{JOB}/repairs").get_data(as_text=True)
        faults = page[page.index("Faults, in the order found") :]
        self.assertLess(faults.index("V1 cathode"), faults.index("V1 screen feed"))
        self.assertIn("changed, not tested since", faults)
        self.post(f"{JOB}/repairs/test", outcome="better", words="cathode 2.1 V")
        faults = self.get(f"{JOB}/repairs").get_data(as_text=True).split("Faults, in the order found")[1]
        self.assertIn("closed", faults)
        self.assertIn("open", faults)

    def test_a_rail_that_was_read_with_a_test_is_in_the_log_and_never_of_a_cold_set(self) -> None:
        self.record(part="R1", what="replaced")
        with self.workshop.store() as conn:
            (rail, *_) = safe_start.view(conn, TYPED_JOB).rails
        form = {"outcome": "better", "words": "less hum", "rail": rail.point.id}
        self.assertEqual(self.post(f"{JOB}/repairs/test", tested="cold", volts="180", **form).status_code, 422)
        self.post(f"{JOB}/start/power", to="on", back=JOB)
        self.assertEqual(self.post(f"{JOB}/repairs/test", tested="on", volts="0.18", **form).status_code, 422)  # kilovolts meant?
        self.assertEqual(self.post(f"{JOB}/repairs/test", tested="on", volts="180", **form).status_code, 303)
        with self.workshop.store() as conn:
            self.assertEqual(safe_start.view(conn, TYPED_JOB).rails[0].last_v, 180.0)

    def test_a_mended_part_is_sound_once_it_was_measured_and_not_before(self) -> None:
        self.post(f"{JOB}/parts", part="L4", value="open")
        self.record(part="L4", what="mended")
        verdicts = dict(re.findall(r'id="part-(\S+)".*?data-verdict="([^"]+)"', self.get(f"{JOB}/parts").get_data(as_text=True), re.S))
        self.assertEqual(verdicts["L4"], "blank")

    def test_an_adjuster_that_revived_a_stage_opens_again_what_was_aligned(self) -> None:
        with self.workshop.store() as conn:
            shelf.mark_phase(conn, job_id=TYPED_JOB, phase="oscillator and dial", state="done", remark="", at_utc="2026-11-25T00:00:00Z")
        form = {"adjuster": "T4", "original": "half in", "net": "0.5", "band": "medium wave"}
        self.assertEqual(self.post(f"{JOB}/notes", kind="revived", **form).status_code, 303)
        self.assertIn("again: medium wave came alive when T4 was screwed", self.get(JOB).get_data(as_text=True))


class WaitedFor(PageTest):
    off = True

    def test_a_phase_waits_for_what_is_waited_for_and_the_reminder_goes_by_its_day(self) -> None:
        waiting = {"kind": "waiting", "item": "a dial cord", "blocks": "intermediate frequency"}
        refused = self.post(f"{JOB}/intake", **waiting, by="next week")
        self.assertIn("Write the day as 2026-12-08", refused.get_data(as_text=True))
        self.post(f"{JOB}/intake", **waiting, by="2020-01-01")
        page = self.get(JOB).get_data(as_text=True)
        self.assertIn("waits for a dial cord", page)
        self.assertIn("it was to come", page)
        refused = self.post(f"{JOB}/runs", phase="intermediate frequency")
        self.assertIn("This waits for a dial cord", refused.get_data(as_text=True))
        with self.workshop.store() as conn:
            entry = next(e.id for e in intake.entries_of_job(conn, TYPED_JOB) if e.kind == "waiting")
        self.post(f"{JOB}/intake/{entry}/end", outcome="has come")
        self.assertEqual(self.post(f"{JOB}/runs", phase="intermediate frequency").status_code, 303)

    def test_what_was_swept_once_or_moved_while_it_was_cleaned_falls_due(self) -> None:
        self.post(f"{JOB}/notes", kind="control swept", part="P1", ohms="0; 100k; 200k; 300k; 400k; 500k")
        self.post(f"{JOB}/notes", kind="cleaned", item="wave switch", done="spirit", effect="quieter", moved="yes")
        page = self.get(JOB).get_data(as_text=True)
        self.assertIn("P1 was clean over one sweep", page)
        self.assertIn("A tuned part was moved when wave switch was cleaned: peak its circuit again", page)

    def test_what_must_be_passed_before_money_is_spent_stands_at_intake(self) -> None:
        page = self.get(f"{BOAT_HOUSE}/intake").get_data(as_text=True)
        self.assertIn("to be metered: long wave, medium wave, short wave", page)
        self.post(f"{BOAT_HOUSE}/bands", coupling="dummy aerial", **{"coil-LW": "open"})
        self.assertIn("open on long wave", self.get(f"{BOAT_HOUSE}/intake").get_data(as_text=True))


class AtTheBench(PageTest):
    off = True

    def test_a_repair_of_guided_work_begins_the_step_in_hand_anew_like_any_other(self) -> None:
        run_id = self.begin_typed_run()
        self.post(f"/bench/{run_id}/skip", here=self.here(run_id), reason="seen before")
        self.post(f"/bench/{run_id}/readings", here=self.here(run_id), reading="100m")
        where = self.post(f"{JOB}/guided", piece="splice", subject="L5", sister="elsewhere").headers["Location"]
        self.post(where, stage="bridge", bridge_m="0.1 mm", place="at the tag", tries="1")
        self.post(where, stage="splice", ohm_after="28", ohm_sister="28")
        self.assertEqual(self.post(f"{where}/end", outcome="through").status_code, 303)
        with self.workshop.desk(run_id).book() as book:
            self.assertEqual(book.seen.kept, [])  # what was read before was of another set
        with self.workshop.store() as conn:
            changed = [json.loads(a.detail)["words"] for a in runs.acts(conn, run_id) if a.kind == "changed"]
        self.assertEqual(changed, ["L5 was mended"])

    def test_any_winding_is_no_sister(self) -> None:
        refused = self.post(f"{JOB}/guided", piece="rewind", subject="IFT1-p", sister="T2-p").get_data(as_text=True)
        self.assertIn("a winding that does the same work: IFT1-s", refused)

    def test_the_card_of_the_set_is_on_every_page_of_its_job(self) -> None:
        run_id = self.begin_typed_run()
        for path in (JOB, f"{JOB}/start", f"{JOB}/parts", f"{JOB}/notes", f"/bench/{run_id}"):
            self.assertIn("IF 468\u2009kHz, single conversion", self.get(path).get_data(as_text=True), path)

    def test_where_adjusters_stood_is_in_the_record_unasked(self) -> None:
        page = self.get("/runs/1/record").get_data(as_text=True)
        self.assertIn(">As found</th>", page)

    def test_a_set_keeps_its_own_dossier_when_another_job_is_opened_on_it(self) -> None:
        self.post(f"{JOB}/parts/add", part="R77 4k7", region="mixer")
        with self.workshop.store() as conn:
            job = shelf.job(conn, TYPED_JOB)
            assert job
            where = self.post("/jobs", set=str(job.set_id), complaint="again", bench="typed").headers["Location"]
            self.assertEqual(own_dossiers.current(conn, job.set_id), shelf.job(conn, int(where.rsplit("/", 1)[1])).dossier_id)  # type: ignore[union-attr]
            self.assertIn("R77", self.get(f"{where}/parts").get_data(as_text=True))
            self.assertTrue(begin_run(conn, TYPED_JOB, "intermediate frequency"))
