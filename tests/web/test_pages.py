"""What a person types and sees, without a browser: forms post and pages are complete without script."""

import io
import json
import re

from calm_needle.store import shelf
from calm_needle.store.db import transaction
from calm_needle.work.jobs import entries, intake
from tests.support import halvern
from tests.support.client import OLDER_RUN, TYPED_JOB, PageTest


class Shelf(PageTest):
    def test_a_set_and_a_job_are_put_on_it(self) -> None:
        self.assertEqual(self.post("/sets", model="halvern-6b", serial="30001", owner="J.P.").status_code, 303)
        self.assertIn("30001", self.get("/").get_data(as_text=True))
        answer = self.post("/jobs", set="4", complaint="dead on long wave", bench="typed")
        self.assertIn("dead on long wave", self.get(answer.headers["Location"]).get_data(as_text=True))

    def test_what_is_wrong_stands_at_its_field_and_nothing_typed_is_lost(self) -> None:
        answer = self.post("/sets", model="kettle", serial="", owner="J.P. of the lamp room")
        text = answer.get_data(as_text=True)
        self.assertEqual(answer.status_code, 422)
        self.assertIn('id="set-serial-fault"', text)
        self.assertIn("Choose the model", text)
        self.assertIn("J.P. of the lamp room", text)

    def test_the_same_number_twice_is_refused(self) -> None:
        self.assertIn("is on the shelf already", self.post("/sets", model="halvern-6b", serial="20318").get_data(as_text=True))

    def test_what_people_write_is_shown_as_written(self) -> None:
        self.post("/sets", model="halvern-6b", serial="<b>1</b>", remarks="<script>x</script>")
        self.assertNotIn("<b>1</b>", self.get("/").get_data(as_text=True))

    def test_a_dossier_comes_in_and_goes_out_again_the_same(self) -> None:
        out = self.get("/models/halvern-6b/dossier.json")
        self.assertEqual(json.loads(out.data), halvern.data())
        again = self.post("/models", dossier=(io.BytesIO(out.data), "halvern.json"))
        self.assertEqual(again.status_code, 303)

    def test_a_dossier_with_faults_changes_nothing_and_every_fault_is_shown(self) -> None:
        spoiled = halvern.data()
        spoiled["name"] = "Spoiled"
        spoiled["kind"] = "kettle"
        spoiled["bands"][1]["f_low_hz"] = -1
        answer = self.post("/models", dossier=(io.BytesIO(json.dumps(spoiled).encode()), "spoiled.json"))
        text = answer.get_data(as_text=True)
        self.assertEqual(answer.status_code, 422)
        for path in ("kind", "bands[1].f_low_hz"):
            self.assertIn(path, text)
        self.assertNotIn("Spoiled</a>", self.get("/").get_data(as_text=True))


class Job(PageTest):
    def test_its_phases_are_shown_and_marked_by_hand(self) -> None:
        refused = self.post(f"/jobs/{TYPED_JOB}/phases", phase="verification", state="done", remark="all well")
        self.assertIn("done by hand is believed with a figure", refused.get_data(as_text=True))
        self.post(f"/jobs/{TYPED_JOB}/phases", phase="verification", state="done", remark="25 µV for 50 mW on medium wave")
        text = self.get(f"/jobs/{TYPED_JOB}").get_data(as_text=True)
        self.assertIn('open again<span class="sr-only">: verification', text)

    def test_a_phase_that_cannot_be_led_says_so(self) -> None:
        answer = self.post(f"/jobs/{TYPED_JOB}/runs", phase="verification")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("The dossier has no steps for “verification”", answer.get_data(as_text=True))

    def test_begun_twice_it_is_the_same_run(self) -> None:
        first, second = (self.post(f"/jobs/{TYPED_JOB}/runs", phase="intermediate frequency").headers["Location"] for _ in range(2))
        self.assertEqual(first, second)


class BeforeAlignment(PageTest):
    off = True

    BOAT_HOUSE_JOB = "/jobs/4"

    def test_a_set_that_is_not_known_to_be_sound_is_not_aligned(self) -> None:
        text = self.get(self.BOAT_HOUSE_JOB).get_data(as_text=True)
        self.assertIn("Not yet: safe start and health first.", text)
        self.assertNotIn("Begin at the bench", text)
        answer = self.post(f"{self.BOAT_HOUSE_JOB}/runs", phase="intermediate frequency")
        self.assertEqual(answer.status_code, 422)

    def test_the_gate_is_waived_with_a_reason_that_stands_in_the_record(self) -> None:
        self.assertIn("Say why this set is aligned", self.post(f"{self.BOAT_HOUSE_JOB}/waiver", reason=" ").get_data(as_text=True))
        self.post(f"{self.BOAT_HOUSE_JOB}/waiver", reason="Only the IF strip is asked for.")
        text = self.get(self.BOAT_HOUSE_JOB).get_data(as_text=True)
        self.assertIn("Waived, though safe start and health are not done: Only the IF strip is asked for.", text)
        where = self.post(f"{self.BOAT_HOUSE_JOB}/runs", phase="intermediate frequency").headers["Location"]
        run_id = where.rsplit("/", 1)[1]
        self.assertIn("Only the IF strip is asked for.", self.get(f"/runs/{run_id}/record").get_data(as_text=True))
        with self.workshop.store() as conn, transaction(conn):  # a part is replaced afterwards
            job_id = int(self.BOAT_HOUSE_JOB.rsplit("/", 1)[1])
            shelf.mark_phase(
                conn, job_id=job_id, phase="safe start", state="open", remark="C30 was replaced", at_utc="2999-01-01T00:00:00.000Z"
            )
        text = self.get(self.BOAT_HOUSE_JOB).get_data(as_text=True)
        self.assertIn("Not yet: safe start first. What was waived was waived before that was opened again", text)

    def test_health_passes_by_what_was_measured_and_then_the_gate_opens(self) -> None:
        job = self.BOAT_HOUSE_JOB
        self.assertIn("0 of 29 parts are sound", self.get(job).get_data(as_text=True))  # said before anybody ticks it
        self.post(f"{job}/phases", phase="safe start", state="done", remark="rail 236 V after ten minutes")
        text = self.post(f"{job}/phases", phase="health", state="done").get_data(as_text=True)
        self.assertIn("Health has not passed. Parts: 0 of 29 parts are sound; 29 to be measured. Bands: Still blank", text)
        for part in halvern.model().parts:
            for _ in range(2 if part.weak else 1):
                self.assertEqual(self.post(f"{job}/parts", part=part.id, value=f"{part.nominal:.4g}").status_code, 303)
        form = {f"generator-{b}": "alive" for b in ("LW", "MW", "SW")}
        form |= {"level-LW": "35µ", "level-MW": "30µ", "level-SW": "22µ", "coil-LW": "27", "coil-MW": "4", "coil-SW": "0.4"}
        self.post(f"{job}/bands", coupling="dummy aerial", was_on="yes", **form)
        self.assertEqual(self.post(f"{job}/phases", phase="health", state="done").status_code, 303)
        self.assertIn("Begin at the bench", self.get(job).get_data(as_text=True))

    def test_a_value_that_cannot_be_read_stays_at_its_part(self) -> None:
        text = self.post(f"{self.BOAT_HOUSE_JOB}/parts", part="R1", value="22kF").get_data(as_text=True)
        self.assertIn('value="22kF"', text)
        self.assertIn("is not in Ω", text)
        self.assertEqual(self.post(f"{self.BOAT_HOUSE_JOB}/parts", part="R99", value="1").status_code, 404)


class Intake(PageTest):
    def test_what_is_waited_for_stands_on_the_job_until_it_has_come(self) -> None:
        self.assertIn("a dial cord of 0.8 mm (holds up oscillator and dial", self.get("/jobs/4").get_data(as_text=True))
        with self.workshop.store() as conn:
            (item,) = entries.still_open(conn, 4)["waiting"]
        self.assertEqual(self.post(f"/jobs/4/intake/{item.id}/end", outcome="has come").status_code, 303)
        self.assertNotIn("Waits for", self.get("/jobs/4").get_data(as_text=True))
        self.assertEqual(self.post(f"/jobs/1/intake/{item.id}/end", outcome="has come").status_code, 404)

    def test_a_sister_model_s_paper_is_marked_and_what_is_missing_is_asked_for(self) -> None:
        self.assertIn(">unverified<", self.get("/jobs/4/intake").get_data(as_text=True))
        text = self.post("/jobs/4/intake", kind="consent", change="a socket for earphones", reversible="", agreed="").get_data(as_text=True)
        self.assertIn('value="a socket for earphones"', text)
        self.assertIn("Can it be undone: this is wanted.", text)


class Bands(PageTest):
    off = True

    PATH = "/jobs/4/bands"

    def test_an_open_aerial_coil_is_found_on_a_band_that_is_alive(self) -> None:
        form = {f"generator-{b}": "alive" for b in ("LW", "MW", "SW")}
        form |= {"level-LW": "35µ", "level-MW": "420µ", "level-SW": "22µ", "coil-LW": "27", "coil-MW": "OL", "coil-SW": "0.4"}
        self.assertEqual(self.post(self.PATH, coupling="dummy aerial", was_on="yes", **form).status_code, 303)
        text = self.get(self.PATH).get_data(as_text=True)
        self.assertRegex(text, r"Its aerial coil is open\. It needs 1\d dB more than its neighbours")
        self.assertIn("To be found before aligning: medium wave (its aerial coil is open).", text)
        # sent again as it stands, nothing is entered twice
        with self.workshop.store() as conn:
            before = len(conn.execute("SELECT id FROM band_check").fetchall())
        shown = {"level-LW": "35.0\u2009µV", "level-MW": "420\u2009µV", "level-SW": "22.0\u2009µV"}
        shown |= {"coil-LW": "27.0\u2009Ω", "coil-MW": "open", "coil-SW": "400\u2009mΩ"}
        self.post(self.PATH, coupling="dummy aerial", was_on="yes", **{**form, **shown})
        with self.workshop.store() as conn:
            self.assertEqual(len(conn.execute("SELECT id FROM band_check").fetchall()), before)

    def test_what_cannot_be_read_keeps_everything_typed_and_enters_nothing(self) -> None:
        answer = self.post(self.PATH, coupling="", **{"level-LW": "35µ", "coil-MW": "four"})
        text = answer.get_data(as_text=True)
        self.assertEqual(answer.status_code, 422)
        self.assertIn('value="four"', text)
        self.assertIn("levels are compared only where it was the same", text)
        with self.workshop.store() as conn:
            self.assertEqual(conn.execute("SELECT count(*) FROM band_check").fetchone()[0], 0)


class Complaints(PageTest):
    def test_each_line_is_a_complaint_of_its_own_and_each_keeps_the_job_open(self) -> None:
        where = self.post("/jobs", set="1", complaint="crackles\n\ndial slips", bench="typed").headers["Location"]
        refused = self.post(f"{where}/phases", phase="record", state="done")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("“crackles” is not yet retested; “dial slips” is not yet retested", refused.get_data(as_text=True))
        with self.workshop.store() as conn:
            complaints = [c.id for c in intake.complaints_of(conn, int(where.rsplit("/", 1)[1]))]
        self.post(f"{where}/complaints/{complaints[0]}/retest", outcome="gone", words="", cover="on")
        text = self.post(f"{where}/complaints/{complaints[1]}/retest", outcome="a characteristic", words="always", cover="on").get_data(
            as_text=True
        )
        self.assertIn("believed with the figure that settles it", text)
        self.assertIn('value="always"', text)
        self.post(f"{where}/complaints/{complaints[1]}/retest", outcome="a characteristic", words="slips at 12 N, as new", cover="on")
        self.assertEqual(self.post(f"{where}/phases", phase="record", state="done").status_code, 303)

    def test_another_job_s_complaint_is_not_answered_here(self) -> None:
        self.assertEqual(self.post("/jobs/1/complaints/4/retest", outcome="gone").status_code, 404)


class BenchWithoutScript(PageTest):
    def setUp(self) -> None:
        super().setUp()
        self.run_id = self.begin_typed_run()
        self.bench = f"/bench/{self.run_id}"

    def say(self, act: str, **form: object) -> str:
        answer = self.post(f"{self.bench}/{act}", here=self.here(self.run_id), **form)
        return answer.get_data(as_text=True) if answer.status_code != 303 else self.get(self.bench).get_data(as_text=True)

    def test_a_reading_is_typed_and_advised_on(self) -> None:
        self.say("readings", reading="88m")
        self.assertIn("Peak the lower core of IFT2", self.say("take"))
        for reading in ("88m", "91m", "97m", "108m", "121m", "136m", "146m", "151m", "148m", "139m", "128m", "117m"):
            text = self.say("readings", reading=reading)
        self.assertIn("Highest so far is passed: come back to it.", text)
        text = self.say("turning-back")
        self.assertIn("Turning back: noted.", text)
        for reading in ("130m", "140m", "148m", "117m"):
            text = self.say("readings", reading=reading)
        self.assertIn('data-part="reading">117<', text)

    def test_what_cannot_be_read_stays_in_the_field_with_a_sentence(self) -> None:
        text = self.say("readings", reading="4l2 mV")
        self.assertIn('value="4l2 mV"', text)
        self.assertIn("is not in V or dB. Write it like 412", text)

    def test_a_reading_out_of_all_scale_is_asked_about_and_kept_when_it_is_meant(self) -> None:
        self.say("readings", reading="398m")
        text = self.say("readings", reading="412")
        self.assertIn("412\u2009V, after 398\u2009mV? Perhaps 412\u2009mV was meant.", text)
        self.assertIn('value="412"', text)
        with self.workshop.desk(self.run_id).book() as book:
            self.assertEqual(len(book.seen.kept), 1)
        self.say("readings", reading="412", sure="yes")
        with self.workshop.desk(self.run_id).book() as book:
            self.assertEqual([r.value for r in book.seen.kept], [0.398, 412.0])

    def test_the_first_readings_that_are_typed_each_say_which_way_to_go_on(self) -> None:
        self.say("readings", reading="88m")
        self.say("take")
        self.assertIn("Turn the lower core of IFT2 a little, and read again.", self.say("readings", reading="88m"))
        self.assertIn("It hardly moved. Turn further", self.say("readings", reading="88.2m"))
        self.assertIn("Lower by 0.7 dB: turn it the other way", self.say("readings", reading="81.5m"))

    def test_a_crest_that_was_not_seen_is_asked_about(self) -> None:
        self.say("readings", reading="88m")
        self.say("take")
        self.say("readings", reading="88m")
        self.assertIn("Take it all the same?", self.say("take"))
        self.assertIn("Peak the upper core of IFT2", self.say("take", sure="yes"))

    def test_an_act_for_a_step_that_is_over_changes_nothing(self) -> None:
        old = self.here(self.run_id)
        self.say("readings", reading="88m")
        self.say("take")
        answer = self.post(f"{self.bench}/readings", json=True, here=old, reading="99m")
        self.assertEqual(answer.status_code, 409)
        with self.workshop.desk(self.run_id).book() as book:
            self.assertEqual(book.seen.kept, [])

    def test_a_reading_is_struck_out(self) -> None:
        self.say("readings", reading="88m")
        with self.workshop.desk(self.run_id).book() as book:
            reading = book.seen.kept[0].id
        self.assertIn("line-through", self.say("strike", reading=reading, reason="mistyped"))

    def test_a_calculator_that_is_opened_from_a_jobs_work_knows_the_job(self) -> None:
        where = self.post("/jobs/4/guided", piece="rewind", subject="IFT2-p", sister="IFT1-p").headers["Location"]
        links = re.findall(r'href="(/reckon/[^"]+)"', self.get(where).get_data(as_text=True))
        self.assertTrue(links)
        for link in links:
            self.assertIn('value="4:LW" selected', self.get(link.replace("&amp;", "&")).get_data(as_text=True))

    def test_cautions_stand_wherever_the_work_can_hurt(self) -> None:
        self.post("/jobs/5/guided", piece="warm-valve")
        for page, words in (
            ("/jobs/5/bands", ("Treat the chassis as live", "Load on, volume down")),
            ("/jobs/5/parts", ("Treat the chassis as live", "Pulling a valve", "Paint and powder")),
            ("/jobs/5/repairs", ("Flux, lead and solvents", "Parts at the mains")),
            ("/jobs/5/guided/1", ("Treat the chassis as live", "Hot parts", "Pulling a valve")),
        ):
            text = self.get(page).get_data(as_text=True)
            for title in (*words, "Local codes and licensed practice have the last word."):
                self.assertIn(title, text, page)
        self.assertNotIn("Treat the chassis as live", self.get("/jobs/4/parts").get_data(as_text=True))

    def test_cautions_stay_after_they_are_understood(self) -> None:
        self.assertIn("Understood", self.get(self.bench).get_data(as_text=True))
        self.post(f"{self.bench}/cautions", caution=["high-volts", "grid-blocking"])
        text = self.get(self.bench).get_data(as_text=True)
        self.assertIn("High volts inside", text)
        self.assertNotIn('data-key="U"', text)


class Record(PageTest):
    def test_before_and_after_stand_side_by_side_with_every_adjuster(self) -> None:
        text = self.get(f"/runs/{OLDER_RUN}/record").get_data(as_text=True)
        for words in ("In figures", "dB at equal generator level", "IFT2 lower", "IFT1 upper", "IF trap", "Wax was cleared", "<svg"):
            self.assertIn(words, text)

    def test_its_readings_are_a_table_for_other_programs(self) -> None:
        answer = self.get(f"/runs/{OLDER_RUN}/readings.csv")
        rows = answer.get_data(as_text=True).split("\r\n")
        self.assertEqual(answer.mimetype, "text/csv")
        self.assertGreater(len(rows), 500)
        self.assertTrue(all(row.count(",") >= 11 for row in rows if row))

    def test_its_curve_is_a_file_of_its_own(self) -> None:
        answer = self.get(f"/runs/{OLDER_RUN}/response.svg")
        self.assertEqual(answer.mimetype, "image/svg+xml")
        self.assertIn("before", answer.get_data(as_text=True))


class Instruments(PageTest):
    def test_a_name_that_is_none_is_refused_at_its_field(self) -> None:
        for typed in ("", "kettle", "TCPIP::127.0.0.1::1::SOCKET"):
            answer = self.post("/instruments", resource=typed)
            self.assertEqual(answer.status_code, 422, typed)
            self.assertIn('id="resource-fault"', answer.get_data(as_text=True))


class EmptyShelf(PageTest):
    demo = False

    def test_it_says_what_to_do_first(self) -> None:
        self.assertIn("No jobs yet. Bring in a dossier", self.get("/").get_data(as_text=True))
