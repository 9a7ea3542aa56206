"""The pages of verification, record, store and histories, without a browser."""

import io
import re

from PIL import Image
from pypdf import PdfReader

from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.files.traces import read_trace
from calm_needle.work import backup
from tests.support.client import TYPED_JOB, PageTest

VERIFY = f"/jobs/{TYPED_JOB}/verify"
HERTZ, LEVELS = [-9e3, -3e3, 0.0, 3e3, 9e3], [-44.0, -7.0, 0.0, -6.0, -40.0]
BY = DEFINITIONS["s-plus-n"].words


class Verification(PageTest):
    def write(self, name: str, **form: str) -> str:
        return self.post(f"{VERIFY}/write/{name}", **form).get_data(as_text=True)

    def page(self) -> str:
        return self.get(VERIFY).get_data(as_text=True)

    def test_a_figure_stands_with_its_definition_how_it_was_measured_and_beside_the_first(self) -> None:
        self.assertIn("Still to be measured: 6", self.page())
        for level in ("90u", "9u"):
            self.write("sensitivity", band="MW", level_v=level, definition=BY, coupling="dummy aerial", cover="on")
        text = self.page()
        for words in ("9.0\u2009µV", "−20.0\u00a0dB", "by hand, covers on, dummy aerial", BY):
            self.assertIn(words, text)

    def test_closing_it_up_says_what_that_has_done(self) -> None:
        for level, cover in (("8u", "off"), ("9u", "on")):
            self.write("sensitivity", band="MW", level_v=level, definition=BY, coupling="dummy aerial", cover=cover)
        self.assertIn("+1.0\u00a0dB from open", self.page())
        self.write("sensitivity", band="LW", level_v="9u", definition=BY, coupling="dummy aerial", cover="on")
        self.assertEqual(self.page().count("from open"), 1)

    def test_what_is_wrong_stands_at_its_field_and_what_was_typed_stays(self) -> None:
        text = self.write("selectivity", band="MW", cover="on", offsets_hz="-3k; 0; 3k", down_db="6; 0")
        self.assertIn("as many as offsets_hz", text)
        self.assertIn('value="-3k; 0; 3k"', text)
        self.assertIn('id="w-coupling-fault"', self.write("sensitivity", band="MW", level_v="9u", definition=BY, coupling=""))
        self.assertEqual(self.post(f"{VERIFY}/write/nothing").status_code, 404)
        self.assertEqual(self.post("/jobs/2/verify/measure/sensitivity", band="XX").status_code, 404)

    def test_a_job_that_is_typed_is_told_so_and_a_set_that_is_off_is_not_measured(self) -> None:
        answer = self.post(f"{VERIFY}/measure/sensitivity", band="MW")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("The readings of this job are typed", answer.get_data(as_text=True))

    def test_a_hand_is_led_to_the_level_and_keeps_it(self) -> None:
        refused = self.post(f"{VERIFY}/search", band="MW", definition=BY, coupling="").get_data(as_text=True)
        self.assertIn('id="led-coupling-fault"', refused)
        search = self.post(f"{VERIFY}/search", band="MW", definition=BY, coupling="dummy aerial", cover="on").headers["Location"]
        self.assertIn("Set the generator to", self.get(search).get_data(as_text=True))
        for level, high in (
            ("100u", "1.4"),
            ("14u", "155m"),
            ("16u", "180m"),
            ("12.5u", "142m"),
            ("14u", "159m"),
            ("15u", "169m"),
            ("13u", "147m"),
            ("14u", "158m"),
        ):
            self.assertEqual(self.post(search, level_v=level, high=high, low="50m").status_code, 303)
        self.assertIn("Go on with the search on medium wave", self.page())
        text = self.get(search).get_data(as_text=True)
        self.assertIn("Here: 14", text)
        refused = self.post(search, level_v="14", high="159m", low="50m").get_data(as_text=True)
        self.assertIn("14\u2009µV", refused)  # what was meant is offered
        self.assertEqual(self.post(f"{search}/keep").headers["Location"], VERIFY)
        text = self.page()
        self.assertNotIn("Go on with the search", text)
        self.assertIn("by hand, covers on, dummy aerial", text)
        self.assertIn("This search has ended", self.get(search).get_data(as_text=True))
        self.assertEqual(self.post(f"{search}/back").status_code, 422)

    def test_a_watch_and_a_trial_from_begin_to_end(self) -> None:
        self.post(f"{VERIFY}/watch", fault="it crackles", minutes="90", every="20", attended="yes")
        self.post(f"{VERIFY}/watch/1", kind="event")
        self.assertIn("Not found yet", self.page())
        self.assertIn("Say where", self.post(f"{VERIFY}/watch/1", kind="provoked").get_data(as_text=True))
        self.post(f"{VERIFY}/beside", band="MW", reference="Halvern 6B no. 1", aerial="the long wire")
        self.assertIn("For whoever works the switch", self.get(f"{VERIFY}/beside/1/order").get_data(as_text=True))
        self.assertNotIn("Halvern 6B no. 1:", self.page())
        self.post(f"{VERIFY}/beside/1", first="4", second="4", words="clear")
        self.assertIn("As good as Halvern 6B no. 1 or better", self.page())

    def test_struck_it_is_gone_from_the_page_with_a_reason_that_is_asked_for(self) -> None:
        self.write("sensitivity", band="MW", level_v="9u", definition=BY, coupling="dummy aerial", cover="on")
        self.assertIn("Say in a few words", self.post(f"{VERIFY}/1/strike", reason="").get_data(as_text=True))
        self.post(f"{VERIFY}/1/strike", reason="the wrong band")
        self.assertNotIn("9.00\u2009µV", self.page())

    def test_a_curve_goes_out_as_points_and_as_a_response_by_its_own_frequencies(self) -> None:
        form = {"band": "MW", "at_hz": "1M", "offsets_hz": "−9k; −3k; 0; 3k; 9k", "down_db": "44; 7; 0; 6; 40", "cover": "on"}
        self.assertEqual(self.post(f"{VERIFY}/write/selectivity", **form).status_code, 303)
        page = self.page()
        points, response = (re.search(rf'href="({VERIFY}/\d+/curve\.{kind})"', page)[1] for kind in ("csv", "s2p"))  # type: ignore[index]
        rows = self.get(points).get_data(as_text=True).splitlines()
        self.assertEqual(rows, ["line,x (Hz),y (dB)", *(f"response,{x},{y}" for x, y in zip(HERTZ, LEVELS, strict=True))])
        trace = read_trace(self.get(response).data, name="a.s2p")
        self.assertEqual([round(f) for f in trace.frequencies_hz], [round(1e6 + x) for x in HERTZ])
        self.assertEqual([round(v, 6) for v in trace.levels_db], LEVELS)
        self.assertEqual(self.get(points.replace("curve.csv", "curve.exe")).status_code, 404)
        self.assertEqual(self.get(f"{VERIFY}/99999/curve.csv").status_code, 404)

    def test_the_phase_says_what_it_lacks_and_passes_by_what_was_measured(self) -> None:
        job = f"/jobs/{TYPED_JOB}"
        self.post(f"{job}/waiver", reason="for the test")
        self.assertIn("Sensitivity on short wave", self.get(job).get_data(as_text=True))
        done = {"phase": "verification", "state": "done", "remark": ""}
        self.assertEqual(self.post(f"{job}/phases", **done).status_code, 422)
        for band in ("LW", "MW", "SW"):
            self.write("sensitivity", band=band, level_v="9u", definition=BY, coupling="dummy aerial", cover="on")
        for band, at in (("LW", "200k"), ("MW", "1M"), ("SW", "9M")):
            self.write("frequency", band=band, nominal_hz=at, measured_hz=at, cover="on")
        self.assertEqual(self.post(f"{job}/phases", **done).status_code, 303)
        self.assertIn("3 of 3 bands by a named definition, closed up", self.get(job).get_data(as_text=True))


class RecordAndCertificate(PageTest):
    def test_from_a_figure_to_a_paper_and_back(self) -> None:
        record = f"/jobs/{TYPED_JOB}/record"
        self.assertIn("No valid measurements yet", self.get(record).get_data(as_text=True))
        form = {"band": "MW", "level_v": "9u", "definition": BY, "coupling": "dummy aerial", "cover": "on"}
        self.post(f"{VERIFY}/write/sensitivity", **form)
        self.assertIn("Why it is issued all the same", self.get(record).get_data(as_text=True))
        self.assertEqual(self.post(f"/jobs/{TYPED_JOB}/certificate", paper="A4").status_code, 422)
        self.assertEqual(self.post(f"/jobs/{TYPED_JOB}/certificate", paper="letter", reason="fetched today").status_code, 303)
        paper = self.get("/certificates/1.pdf")
        self.assertEqual((paper.mimetype, paper.data[:5]), ("application/pdf", b"%PDF-"))
        said = self.post("/certificates/check", certificate=(io.BytesIO(paper.data), "c.pdf")).get_data(as_text=True)
        self.assertIn("agrees with the store", said)
        refused = self.post("/certificates/check", certificate=(io.BytesIO(b"hello"), "c.pdf"))
        self.assertEqual(refused.status_code, 422)
        self.assertEqual(self.get("/certificates/2.pdf").status_code, 404)
        numbers = self.get(f"{record}.csv").get_data(as_text=True)
        self.assertRegex(numbers, r"verification,Sensitivity,medium wave at 950.0.kHz,level,9e-06,V")
        self.assertEqual(self.get(f"{record}.json").get_json()[0]["name"], "intake")
        for name in ("hand-back", "outstanding", "bench-sheets", "label"):
            self.assertEqual(self.get(f"/jobs/{TYPED_JOB}/papers/{name}.pdf").mimetype, "application/pdf", name)
        self.assertEqual(self.get(f"/jobs/{TYPED_JOB}/papers/other.pdf").status_code, 404)
        self.assertIn("What to mind", self.get(f"/jobs/{TYPED_JOB}/hand-back").get_data(as_text=True))


class PhotographsChosen(PageTest):
    def attach(self, caption: str) -> str:
        content = io.BytesIO()
        Image.new("RGB", (320, 200 + len(caption)), (90, 80, 10)).save(content, "JPEG")
        content.seek(0)
        self.post(f"/jobs/{TYPED_JOB}/photographs", picture=(content, "a.jpg"), caption=caption)
        page = self.get(f"/jobs/{TYPED_JOB}/photographs").get_data(as_text=True)
        return max(re.findall(rf"/jobs/{TYPED_JOB}/photographs/\d+(?=\")", page), key=lambda p: int(p.rsplit("/", 1)[1]))

    def test_what_is_chosen_stands_in_the_record_and_on_the_certificate_and_nothing_else(self) -> None:
        shown, other = self.attach("the can, opened"), self.attach("somebody’s elbow")
        self.assertEqual(self.post(f"{shown}/chosen", chosen="yes").status_code, 303)
        record = f"/jobs/{TYPED_JOB}/record"
        self.assertIn("The can, opened", self.get(record).get_data(as_text=True))
        self.assertNotIn("elbow", self.get(record).get_data(as_text=True))
        form = {"band": "MW", "level_v": "9u", "definition": BY, "coupling": "dummy aerial", "cover": "on"}
        self.post(f"{VERIFY}/write/sensitivity", **form)
        self.post(f"/jobs/{TYPED_JOB}/certificate", paper="A4", reason="fetched today")
        reader = PdfReader(io.BytesIO(self.get("/certificates/1.pdf").data))
        self.assertEqual(sum(len(p.images) for p in reader.pages), 1)
        self.assertIn("the can, opened", " ".join(p.extract_text() for p in reader.pages))
        self.assertEqual((self.post(f"{other}/chosen", chosen="yes").status_code, shown != other), (303, True))
        check = self.post("/certificates/check", certificate=(io.BytesIO(self.get("/certificates/1.pdf").data), "c.pdf"))
        self.assertIn("moved on", check.get_data(as_text=True))
        self.post(f"{other}/chosen", chosen="no")
        check = self.post("/certificates/check", certificate=(io.BytesIO(self.get("/certificates/1.pdf").data), "c.pdf"))
        self.assertIn("agrees with the store", check.get_data(as_text=True))

    def test_one_that_nobody_has_said_anything_of_is_not_shown(self) -> None:
        answer = self.post(f"{self.attach('')}/chosen", chosen="yes")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("Nobody has said what it shows", answer.get_data(as_text=True))


class TheStore(PageTest):
    def test_a_copy_is_made_verified_and_fetched(self) -> None:
        self.assertIn("None yet.", self.get("/store").get_data(as_text=True))
        self.post("/store/copies")
        (made,) = backup.listed(self.workshop.folder)
        self.assertIn(f"{made.name} is whole: 11 jobs", self.post("/store/copies/verify", copy=made.name).get_data(as_text=True))
        self.assertEqual(self.get(f"/store/copies/{made.name}").data[:2], b"PK")
        for name in ("../calm-needle.sqlite3", "no.zip"):
            self.assertEqual(self.post("/store/copies/verify", copy=name).status_code, 422)
        self.assertEqual(self.get("/store/copies/no.zip").status_code, 404)

    def test_a_job_goes_out_is_looked_at_and_taken_in(self) -> None:
        content = self.get(f"/jobs/{TYPED_JOB}/file").data
        shown = self.post("/store/jobs", job=(io.BytesIO(content), "job.json")).get_data(as_text=True)
        self.assertIn(f"It is job {TYPED_JOB} of this store, as it stands", shown)
        held = re.search(r'name="held" value="([0-9a-f]{64})"', shown)
        assert held
        answer = self.post("/store/jobs/take-in", held=held[1], name="job.json")
        self.assertEqual(self.get(f"{answer.headers['Location']}/file").data, content)
        gone = self.post("/store/jobs/take-in", held=held[1], name="job.json")
        self.assertIn("no longer held here", gone.get_data(as_text=True))
        self.assertEqual(self.post("/store/jobs/take-in", held="../../x").status_code, 422)
        refused = self.post("/store/jobs", job=(io.BytesIO(content[:-100]), "job.json")).get_data(as_text=True)
        self.assertIn("Nothing was changed.", refused)
        self.assertIn("Choose the job’s file first", self.post("/store/jobs").get_data(as_text=True))

    def test_an_appointment_falls_due_until_it_is_kept(self) -> None:
        form = {"kind": "appointment", "what": "the owner fetches it", "on": "2026-12-08", "at": "14:30"}
        self.assertEqual(self.post(f"/jobs/{TYPED_JOB}/intake", **form).status_code, 303)
        for path in (f"/jobs/{TYPED_JOB}", "/store", "/calendar.ics"):
            text = self.get(path).get_data(as_text=True).replace("\r\n ", "")
            self.assertRegex(text, "(?i)the owner fetches it(, 2026-12-08)? at 14:30", path)
        refused = self.post(f"/jobs/{TYPED_JOB}/intake", **{**form, "on": "Tuesday"})
        self.assertEqual(refused.status_code, 422)

    def test_what_falls_due_is_a_calendar(self) -> None:
        form = {"checked_on": "2026-01-05", "against": "a power meter", "uncertainty": "0.2", "due_on": "2099-03-31"}
        self.assertEqual(self.post("/instruments/register/generator/level", **form).status_code, 303)
        self.assertIn("uncertainty ±\u00a00.2\u00a0dB (95\u00a0%) by a power meter", self.get("/instruments").get_data(as_text=True))
        text = self.get("/calendar.ics").get_data(as_text=True)
        self.assertIn("DTSTART;VALUE=DATE:20990331", text)
        self.assertIn("SUMMARY:Generator: check its level", text)
        wrong = self.post("/instruments/register/generator/level", checked_on="yesterday", against="", uncertainty="x")
        self.assertIn("Write the day as 2026-03-31", wrong.get_data(as_text=True))


class Histories(PageTest):
    off = True

    def test_a_model_is_rehearsed_and_the_queue_reckons_with_that(self) -> None:
        self.assertIn("Not rehearsed yet", self.get("/models/stannard-seven/history").get_data(as_text=True))

        def left_min() -> float:
            text = self.get("/queue").get_data(as_text=True)
            row = text.split("Stannard Seven no.")[1].split("</tr>")[0]
            return float(re.findall(r'<td class="num text-right!">(\d+)</td>', row)[0])

        before = left_min()
        self.assertEqual(self.post("/models/stannard-seven/rehearse").status_code, 303)
        text = self.get("/models/stannard-seven/history").get_data(as_text=True)
        self.assertRegex(text, r"Front end <span class=\"num font-semibold\">\d+ min")
        self.assertIn("For Stannard Seven they are rehearsed ones", self.get("/queue").get_data(as_text=True))
        self.assertLess(left_min(), before - 40.0)  # 95 min are usual for the three phases; a small set takes a fifth of that
        self.assertEqual(self.post("/models/nothing/rehearse").status_code, 404)

    def test_the_queue_says_what_is_ready_by_a_day_and_what_is_not(self) -> None:
        text = self.get("/queue?day=2099-01-01&hours=2").get_data(as_text=True)
        self.assertIn("not ready", text)
        self.assertRegex(text, r">\s*ready\s*<")
        self.assertIn("a dial cord", text)
        self.assertEqual(self.get("/queue?day=soon").status_code, 422)

    def test_a_model_over_its_sets_and_a_set_over_its_jobs(self) -> None:
        self.post("/jobs/6/repairs", part="R1", what="replaced", value="", looked_over="yes")
        self.assertIn("Times", self.get("/models/stannard-seven/history").get_data(as_text=True))
        self.assertIn("Turns, mean", self.get("/models/halvern-6b/history").get_data(as_text=True))
        self.assertIn("R1", self.get("/sets/6/history").get_data(as_text=True))
        self.assertEqual(self.get("/models/none/history").status_code, 404)
