"""Small judgements: sections read, leads of the meter, what was moved, where the owner listens, a worry and its tests."""

import re

from calm_needle.clock import now_utc
from calm_needle.core.procedure.dial.band import travel_share
from calm_needle.core.soundness.worries import Settling, settled_by
from calm_needle.store import part_checks
from calm_needle.work.bench.run_book import RunBook, begin_run
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.jobs.wishes import wished
from calm_needle.work.record import job_record, papers
from calm_needle.work.soundness import health
from tests.support.client import TYPED_JOB, PageTest
from tests.support.typed_run import through

DUNLIN, STANNARD = 5, 6


class Sections(PageTest):
    def test_what_could_not_be_read_stays_a_risk_and_the_last_word_on_a_section_counts(self) -> None:
        path = f"/jobs/{STANNARD}/intake"
        self.post(path, kind="section", section="IF strip", found="as built")
        self.post(path, kind="section", section="band switch", found="could not be read", what="the deck is hidden")
        text = self.get(path).get_data(as_text=True)
        self.assertIn("1 of 2 sections read; what could not be read may hold any earlier change.", text)
        self.assertIn("band switch: could not be read, the deck is hidden", text)
        self.post(path, kind="section", section="Band switch", found="half undone", what="one wire of the old converter")
        self.assertIn("2 of 2 sections read; 1 half undone.", self.get(path).get_data(as_text=True))
        self.assertEqual(self.post(path, kind="section", section="x", found="fine").status_code, 422)


class Leads(PageTest):
    def setUp(self) -> None:
        super().setUp()
        form = {"name": "Petrel 4", "safety_class": "unknown", "if_hz": "465k", "bands": "530k-1600k medium wave", "transformers": "2"}
        self.post("/models/sketch", **form)
        self.job = int(self.post("/jobs", model="petrel-4", serial="7", complaint="dead", bench="typed").headers["Location"].split("/")[2])
        self.say_off(self.job)

    def parts(self) -> str:
        return self.get(f"/jobs/{self.job}/parts").get_data(as_text=True)

    def add(self, **form: str) -> None:
        self.assertEqual(self.post(f"/jobs/{self.job}/parts/add", **form).status_code, 303)

    def test_they_are_taken_off_what_is_typed_after_and_not_before(self) -> None:
        self.add(part="C3 10p 12.5p")
        self.assertIn("cannot say", self.parts())
        self.assertEqual(self.post(f"/jobs/{self.job}/parts/leads", open_f="", short_ohm="").status_code, 422)
        self.assertEqual(self.post(f"/jobs/{self.job}/parts/leads", open_f="2.9p", short_ohm="").status_code, 303)
        self.assertIn("2.9p by themselves: taken off what is typed from now on.", self.parts())
        with self.workshop.store() as conn:
            seen = part_checks.part_checks(conn, self.job)[-1]
        self.assertEqual(seen.leads, 0.0)
        answer = self.post(f"/jobs/{self.job}/parts", part="C3", value="12.5p", seen="1")
        self.assertEqual(answer.status_code, 303, answer.get_data(as_text=True)[:2000])
        with self.workshop.store() as conn:
            kept = part_checks.part_checks(conn, self.job)[-1]
        self.assertEqual((kept.value, kept.leads), (12.5e-12, 2.9e-12))
        text = self.parts()
        self.assertIn("−4.0 % without the leads’ 2.90 pF", text.replace("\u00a0", " ").replace("\u2009", " "))
        self.assertIn('value="12.5', text)  # what the meter showed stays in the field

    def test_the_reckoner_of_a_few_picofarads_knows_them(self) -> None:
        self.post(f"/jobs/{self.job}/parts/leads", open_f="2.9p", short_ohm="")
        with self.workshop.store() as conn:
            band = model_of_dossier(conn, job_of(conn, self.job).dossier_id).bands[0].id
        self.assertIn('value="2.9p"', self.get(f"/reckon/small-capacitance?from={self.job}:{band}").get_data(as_text=True))

    def test_a_resistor_is_not_less_its_picofarads(self) -> None:
        self.post(f"/jobs/{self.job}/parts/leads", open_f="2.9p", short_ohm="0.2")
        self.add(part="R3 10 10.2")
        with self.workshop.store() as conn:
            self.assertEqual(part_checks.part_checks(conn, self.job)[-1].leads, 0.2)

    def test_where_it_is_may_be_pointed_at(self) -> None:
        self.add(part="R7 470k", region="somewhere", x_mm="10", y_mm="10")
        self.assertIn("beside ", self.parts())
        self.assertNotIn("Somewhere", self.parts())
        answer = self.post(f"/jobs/{self.job}/parts/add", part="R8 470k", x_mm="here", y_mm="")
        self.assertIn("both of them", answer.get_data(as_text=True))


class Moved(PageTest):
    def test_a_stranger_that_was_moved_is_said_on_the_map_and_the_job_s_page_until_it_is_back(self) -> None:
        path = f"/jobs/{STANNARD}"
        self.post(f"{path}/notes", kind="moved", adjuster="IFT1-p", net="0.5")
        self.assertNotIn("on no paper", self.get(f"{path}/map").get_data(as_text=True))
        self.assertIn("IFT1-p was moved by 0.5 turns", self.get(path).get_data(as_text=True))
        self.post(f"{path}/notes", kind="moved", adjuster="red one", net="-1")
        self.assertIn("Moved, and on no paper: red one.", self.get(f"{path}/map").get_data(as_text=True))
        self.assertIn(
            "Red one was moved by -1 turns: of another system or unknown, so back to its mark", self.get(path).get_data(as_text=True)
        )
        with self.workshop.store() as conn:
            red = conn.execute("SELECT max(id) FROM intake_entry").fetchone()[0]
        self.assertEqual(self.post(f"{path}/notes/{red}/end", outcome="back at its mark").status_code, 303)
        self.assertNotIn("on no paper", self.get(f"{path}/map").get_data(as_text=True))


class TheOwnersBand(PageTest):
    def test_where_and_how_often_it_is_listened_to_the_last_word_counts(self) -> None:
        with self.workshop.store() as conn:
            model = model_of_dossier(conn, job_of(conn, DUNLIN).dossier_id)
        band = model.bands[0]
        inside, outside = (f"{f:.0f}" for f in ((band.f_low_hz + band.f_high_hz) / 2.0, 3.0 * band.f_high_hz))
        for form, expected in (
            ({}, {}),
            ({"band": band.name, "often": "every day", "at": inside}, {"tolerance_times": 1.0, "listens_hz": float(inside)}),
            ({"band": band.name, "often": "hardly ever", "at": outside}, {"tolerance_times": 4.0}),
        ):
            if form:
                self.assertEqual(self.post(f"/jobs/{DUNLIN}/intake", kind="listening", **form).status_code, 303)
            with self.workshop.store() as conn:
                found = wished(conn, DUNLIN, model, band.id)
            self.assertEqual({k: v for k, v in found.items() if k != "wish"}, expected)
        refused = self.post(f"/jobs/{DUNLIN}/intake", kind="listening", band="ultraviolet", often="every day")
        self.assertIn("This set has no such band. Choose one:", refused.get_data(as_text=True))


class Worries(PageTest):
    def test_the_tests_that_were_named_say_what_it_comes_to(self) -> None:
        path = f"/jobs/{DUNLIN}/notes"
        self.post(path, kind="worry", worry="too quiet between stations", tests="noise rise with an aerial")
        undone = "Not settled: noise rise with an aerial to be done."
        self.assertIn(undone, self.get(path).get_data(as_text=True))
        self.post(path, kind="room noise", band="MW", source="lamp", on_v="84m", off_v="21m")
        self.assertIn(undone, self.get(path).get_data(as_text=True))  # a lamp in the room says nothing of the set
        self.post(path, kind="noise rise", band="MW", on_v="84m", off_v="21m")
        self.assertIn("All that it named has passed: a characteristic.", self.get(path).get_data(as_text=True))
        self.post(path, kind="noise rise", band="MW", on_v="22m", off_v="21m")
        self.assertIn("A fault, by noise rise with an aerial.", self.get(path).get_data(as_text=True))

    def test_only_what_failed_accuses_and_a_dial_error_is_computed(self) -> None:
        passed, undone = Settling("sensitivity", "good", "9 µV", "s"), Settling("dial error", "blank", "no mark was read", "d")
        failed, unsure = Settling("noise rise", "stop", "0.4 dB", "n"), Settling("round", "watch", "", "r")
        for named, state, words in (
            ([passed, undone], "watch", "dial error to be done"),
            ([passed, unsure], "watch", "round undecided"),
            ([passed, undone, failed], "stop", "A fault, by noise rise."),
            ([passed], "good", "a characteristic"),
        ):
            with self.subTest(words):
                verdict = settled_by(named)
                self.assertEqual(verdict.state, state)
                self.assertIn(words, verdict.sentence)


class Taps(PageTest):
    off = True

    def test_a_ladder_is_drawn_in_the_order_of_its_tags(self) -> None:
        path = f"/jobs/{STANNARD}/notes"
        self.post(path, kind="taps", winding="L3", pairs="2-3 12; 1-2 4.1; 1-3 16")
        text = self.get(path).get_data(as_text=True).replace("\u2009", " ")
        self.assertIn("Taps of L3: 1 to 2 4.1 Ω; 2 to 3 12 Ω", text)


class WhereTheOscillatorRuns(PageTest):
    def test_bands_that_are_typed_one_by_one_name_the_gang_and_its_work_is_offered(self) -> None:
        with self.workshop.store() as conn:
            model = model_of_dossier(conn, job_of(conn, TYPED_JOB).dossier_id)
        for band in model.bands:
            places = [band.f_low_hz * (band.f_high_hz / band.f_low_hz) ** (i / 12.0) for i in range(13)]
            lines = [f"{f / 1e3:.1f}k {'dead' if travel_share(band, f) < 0.3 else f'{(f + band.if_hz) / 1e3:.1f}k'}" for f in places]
            answer = self.post(f"/jobs/{TYPED_JOB}/dial/typed", band=band.id, lines="\n".join(lines))
            self.assertEqual(answer.status_code, 303, answer.get_data(as_text=True)[:300])
        self.assertIn("The gang: it dies at one shaft angle", self.get(f"/jobs/{TYPED_JOB}/dial").get_data(as_text=True))
        offered = self.get(f"/jobs/{TYPED_JOB}/guided").get_data(as_text=True)
        self.assertIn("it dies at one shaft angle", offered)
        with self.workshop.store() as conn:
            self.assertTrue(any(words.startswith("Oscillator: The gang") for words in health.missing(conn, TYPED_JOB)))
            record = str(job_record.record_of(conn, TYPED_JOB).chapters)
            self.assertIn("it dies at one shaft angle", record)
            self.assertIn("it dies at one shaft angle", str(papers.hand_back(conn, TYPED_JOB)))
        self.assertIn("it dies at one shaft angle", self.get(f"/jobs/{TYPED_JOB}").get_data(as_text=True))

    def test_a_hole_inside_a_band_stands_on_the_job_on_its_outstanding_list_and_on_the_paper(self) -> None:
        lines = [
            f"{f}M {'dead' if f in (12, 12.5, 13) else f'{f + 0.468}M'}"
            for f in (6, 7, 8, 9, 10, 11, 11.5, 12, 12.5, 13, 13.5, 14, 15, 16, 17, 18)
        ]
        self.post(f"/jobs/{TYPED_JOB}/dial/typed", band="SW", lines="\n".join(lines))
        with self.workshop.store() as conn:
            record, back = str(job_record.record_of(conn, TYPED_JOB).chapters), str(papers.hand_back(conn, TYPED_JOB))
        for text in (record, back, self.get(f"/jobs/{TYPED_JOB}").get_data(as_text=True)):
            self.assertRegex(text.replace("\\u2009", " ").replace("\u2009", " "), "between 11.7 MHz and 13.2 MHz")

    def test_kilo_and_mega_are_asked_about_line_by_line(self) -> None:
        path = f"/jobs/{TYPED_JOB}/dial/typed"
        for lines, words in (
            ("600 1068k\n700k 1168k", "Line 1: 600 Hz is not on medium wave; 600 kHz?"),
            ("600k 1068\n700k 1168k", "Line 1: an oscillator at 1.068 kHz does not receive 600 kHz; 1.068 MHz?"),
        ):
            answer = self.post(path, band="MW", lines=lines)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.get_data(as_text=True).replace("\u2009", " "))
        image = (
            self.post(f"/jobs/{TYPED_JOB}/dial/images/typed", band="MW", signal="120", image="9m")
            .get_data(as_text=True)
            .replace("\u2009", " ")
        )
        self.assertIn("↓ takes 120 mV", image)


class LeftSo(PageTest):
    def test_the_bench_asks_why_and_goes_round_again_until_it_is_told(self) -> None:
        with self.workshop.store() as conn:
            run_id = begin_run(conn, job_id=TYPED_JOB, phase="intermediate frequency", at_utc=now_utc(conn))
            through(RunBook(conn, run_id), dead="IFT2 upper")
        bench = f"/bench/{run_id}"

        def here() -> str:
            return re.search(r'name="here" value="([^"]+)"', self.get(bench).get_data(as_text=True))[1]  # type: ignore[index]

        page = self.get(bench).get_data(as_text=True)
        for words in ("Not done: IFT2 upper has no peak.", "Why it is left so", "Go round again"):
            self.assertIn(words, page)
        refused = self.post(f"{bench}/finish", here=here(), reason=" ")
        self.assertEqual(refused.status_code, 422)
        self.assertIn('id="finish-reason-fault"', refused.get_data(as_text=True))
        self.assertEqual(self.post(f"{bench}/round", here=here()).status_code, 303)
        self.assertIn("once more", self.get(bench).get_data(as_text=True))
        for _ in range(20):
            page = self.get(bench).get_data(as_text=True)
            if "Why it is left so" in page:
                break
            act = next(a for a in ("set", "stop", "skip") if f'action="{bench}/{a}"' in page)
            self.post(f"{bench}/{act}", here=here(), reason="tried already")
        self.assertEqual(self.post(f"{bench}/finish", here=here(), reason="open inside").status_code, 303)
        self.assertIn("Left so: open inside", self.get(f"/jobs/{TYPED_JOB}/record").get_data(as_text=True))

    def test_cleaning_says_what_spray_can_do(self) -> None:
        self.assertIn("Solvents and spray", self.get(f"/jobs/{TYPED_JOB}/notes").get_data(as_text=True))
