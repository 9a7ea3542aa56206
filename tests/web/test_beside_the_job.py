"""What is kept beside a job's readings: photographs, map, notes, drafts, changes; models sketched and jobs found. No browser."""

import io
import json
import re

from PIL import Image

from calm_needle.core.soundness.entry_judges import settle_prediction
from calm_needle.store import starts
from calm_needle.work.jobs import entries, photographs
from tests.support.client import PageTest

DUNLIN, STANNARD = 5, 6


def jpeg(colour: tuple[int, int, int] = (90, 80, 70)) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (320, 200), colour).save(out, "JPEG")
    return out.getvalue()


class Photographs(PageTest):
    PATH = f"/jobs/{STANNARD}/photographs"

    def attach(self, *files: tuple[bytes, str]) -> str:
        answer = self.post(self.PATH, picture=[(io.BytesIO(content), name) for content, name in files], caption="as it came")
        return answer.get_data(as_text=True) if answer.status_code != 303 else ""

    def test_it_is_handed_out_as_a_picture_and_nothing_else(self) -> None:
        self.assertEqual(self.attach((jpeg(), "can.jpg")), "")
        for address in (f"{self.PATH}/1.jpg", f"{self.PATH}/1.jpg?small=yes"):
            answer = self.get(address)
            self.assertEqual((answer.mimetype, answer.headers["X-Content-Type-Options"]), ("image/jpeg", "nosniff"))
            self.assertIn("sandbox", answer.headers["Content-Security-Policy"])
            self.assertTrue(answer.data.startswith(b"\xff\xd8\xff"))
        for path in (
            f"/jobs/{DUNLIN}/photographs/1.jpg",
            f"/jobs/{DUNLIN}/photographs/1",
            f"{self.PATH}/2.jpg",
            f"{self.PATH}/../../secret",
        ):
            self.assertEqual(self.get(path).status_code, 404, path)

    def test_each_that_is_refused_is_named_and_the_others_are_kept(self) -> None:
        said = self.attach((jpeg(), "one.jpg"), (b"<svg><script>1</script></svg>", "two.svg"), (jpeg((1, 2, 3)), "three.png"))
        self.assertIn("two.svg: it is a page or drawing with a program in it", said)
        self.assertIn("three.png: what is in it is JPEG, and its name says otherwise", said)
        self.assertIn("That very picture is with this job already.", self.attach((jpeg(), "again.jpg")))
        with self.workshop.store() as conn:
            self.assertEqual(len(photographs.view(conn, STANNARD).photographs), 1)
        self.assertEqual(len(list(self.workshop.photographs.rglob("*.jpg"))), 2)

    def test_pins_go_in_and_out_and_a_place_outside_is_refused(self) -> None:
        self.attach((jpeg(), "can.jpg"))
        one = f"{self.PATH}/1"
        self.assertEqual(self.post(f"{one}/pins", kind="lead", label="red, to tag 2", x="31,5", y="40").status_code, 303)
        self.assertIn("red, to tag 2", self.get(one).get_data(as_text=True))
        text = self.post(f"{one}/pins", kind="lead", label="", x="131", y="nan").get_data(as_text=True)
        for fault in ("Name what is there", 'id="pin-x-fault"', 'id="pin-y-fault"'):
            self.assertIn(fault, text)
        self.assertEqual(self.post(f"{one}/pins/1/out").status_code, 303)
        self.assertNotIn("red, to tag 2", self.get(one).get_data(as_text=True))
        self.assertEqual(self.post(f"{one}/pins/1/out").status_code, 404)


class Map(PageTest):
    def test_what_is_found_moves_on_the_bench_s_map_too(self) -> None:
        path = f"/jobs/{STANNARD}/map"
        self.assertIn("Nothing found yet", self.get(path).get_data(as_text=True))
        self.assertEqual(self.post(path, label="IFT2-p", side="above", x_mm="60", y_mm="200", remarks="waxed").status_code, 303)
        text = self.post(path, label="IFT2-s", side="above", x_mm="61", y_mm="201").get_data(as_text=True)
        self.assertIn("IFT2-p is at that very place", text)
        text = self.post(path, label="", side="above", x_mm="900", y_mm="here").get_data(as_text=True)
        for words in ("coin a label", "the chassis ends there", "Point at the place"):
            self.assertIn(words, text)
        self.post(f"/jobs/{STANNARD}/waiver", reason="to see the map")
        where = self.post(f"/jobs/{STANNARD}/runs", phase="intermediate frequency").headers["Location"]
        with self.workshop.desk(int(where.rsplit("/", 1)[1])).book() as book:
            moved = book.placed_model().adjuster("IFT2-p")
        self.assertEqual((moved.x_mm, moved.y_mm, moved.remarks), (60.0, 200.0, "waxed"))


class Notes(PageTest):
    PATH = f"/jobs/{STANNARD}/notes"

    def test_a_prediction_and_a_suspicion_stay_open_until_something_comes_of_them(self) -> None:
        self.post(self.PATH, kind="suspicion", what="IFT2 open", because="no volts", test="ohms")
        prediction = {"quantity": "the rail", "unit": "V", "now": "236", "expected": "fall", "by": "6 V", "when": "once it is warm"}
        self.post(self.PATH, kind="prediction", **prediction)
        job = self.get(f"/jobs/{STANNARD}").get_data(as_text=True)
        self.assertIn("IFT2 open: ohms would settle it", job)
        self.assertIn("The rail to fall, 6 V", job)
        self.assertIn("The rail was predicted: read it and compare", job)
        with self.workshop.store() as conn:
            still = entries.still_open(conn, STANNARD)
        for kind, outcome, words in (("suspicion", "confirmed", "ohms: 1.2 MΩ"), ("prediction", "", "229")):
            address = f"{self.PATH}/{still[kind][0].id}/end"
            for refused in ({"outcome": "perhaps", "words": words if outcome else "warm"}, {"outcome": "confirmed", "words": "seen"}):
                self.assertEqual(self.post(address, **refused).status_code, 422)
            self.assertEqual(self.post(address, outcome=outcome, words=words).status_code, 303)
            self.assertEqual(self.post(address, outcome=outcome, words=words).status_code, 422)
        self.assertNotIn("would settle it", self.get(f"/jobs/{STANNARD}").get_data(as_text=True))
        self.assertIn("hit</span>: 229", self.get(self.PATH).get_data(as_text=True))
        self.assertEqual(self.post(f"{self.PATH}/{still['suspicion'][0].id}/again").status_code, 303)  # it was a slip
        self.assertIn("would settle it", self.get(f"/jobs/{STANNARD}").get_data(as_text=True))

    def test_a_prediction_is_judged_by_its_figure(self) -> None:
        for expected, by, then, outcome in (
            ("rise", "", "240", "hit"), ("rise", "", "201", "missed"), ("rise", "10", "250", "missed"), ("fall", "10", "188", "hit"),
            ("stay", "", "203", "hit"), ("stay", "", "180", "missed"), ("come to a value", "250", "260", "hit"),
            ("come to a value", "250", "200", "missed"),
        ):  # fmt: skip
            entry = {"unit": "V", "now": "200", "expected": expected, "by": by}
            self.assertEqual(settle_prediction(entry, then), outcome, (expected, by, then))
        self.assertIsNone(settle_prediction({"expected": "rise"}, "200"))
        refused = self.post(self.PATH, kind="prediction", quantity="x", unit="V", now="2", expected="come to a value", when="after IF")
        self.assertIn("To what?", refused.get_data(as_text=True))

    def test_what_came_off_is_shown_backwards(self) -> None:
        for item in ("knobs", "back", "dial glass"):
            self.post(self.PATH, kind="came off", item=item, where="front")
        text = self.get(self.PATH).get_data(as_text=True)
        places = [text.index(f'font-semibold">{item}<') for item in ("dial glass", "back", "knobs")]
        self.assertEqual(places, sorted(places))

    def test_a_generator_proved_elsewhere_makes_a_dead_set_dead(self) -> None:
        bands = f"/jobs/{STANNARD}/bands"
        self.post(bands, **{"generator-BC": "dead"}, coupling="dummy aerial")
        self.assertIn("try that generator on a set known to be good", self.get(bands).get_data(as_text=True))
        self.post(self.PATH, kind="cross-check", gear="SG-30", on="the Halvern in the lamp room", result="works")
        self.assertIn("it is this one", self.get(bands).get_data(as_text=True))


class Drafts(PageTest):
    off = True

    def draft(self, **told: object) -> int:
        self.get(f"/jobs/{DUNLIN}")
        answer = self.client.post(f"/jobs/{DUNLIN}/drafts", json=told, headers={"X-CSRFToken": self.token})
        return answer.status_code

    def test_a_draft_is_let_go_with_what_it_became_and_not_with_what_was_refused(self) -> None:
        page, form = f"/jobs/{DUNLIN}/repairs", f"/jobs/{DUNLIN}/repairs#change"
        self.assertEqual(self.draft(form=form, fields={"words": "from the drawer"}), 204)
        self.assertIn("from the drawer", self.get(page).get_data(as_text=True))
        self.assertEqual(self.post(page, part="R11", what="kicked", draft=form).status_code, 422)
        self.assertIn('"from the drawer"', self.get(page).get_data(as_text=True))
        self.assertEqual(self.post(page, part="R11", what="replaced", looked_over="yes", draft=form).status_code, 303)
        self.assertNotIn("from the drawer", self.get(page).get_data(as_text=True))

    def test_what_is_no_draft_is_refused(self) -> None:
        for told in (
            {},
            {"form": "x" * 300, "fields": {}},
            {"form": "a", "fields": [1]},
            {"form": "a", "fields": {str(i): "x" for i in range(99)}},
        ):
            self.assertEqual(self.draft(**told), 422)


class Changes(PageTest):
    off = True

    PATH = f"/jobs/{DUNLIN}/repairs"

    def test_nothing_is_soldered_while_the_set_is_on_and_everything_is_asked_for(self) -> None:
        text = self.post(self.PATH, part="", what="", value="").get_data(as_text=True)
        for words in ("Choose the part", "Choose what was done", "Look it over first"):
            self.assertIn(words, text)
        with self.workshop.store() as conn:
            conn.execute(
                "INSERT INTO start_entry (job_id, kind, detail, at_utc) VALUES (?, 'rung', '{\"rung\": 0}', '2026-11-25T10:00:00.000Z')",
                (DUNLIN,),
            )
        self.assertIn("The set is on since", self.post(self.PATH, part="R11", what="mended", looked_over="yes").get_data(as_text=True))

    def test_a_change_opens_again_what_it_puts_in_doubt(self) -> None:
        self.post(f"/jobs/{STANNARD}/repairs", part="R12", what="mended", looked_over="yes")
        text = self.get(f"/jobs/{STANNARD}").get_data(as_text=True)
        self.assertIn("safe start and health first", text)
        self.assertIn("R12 mended: not tested.", text)
        self.assertEqual(self.post(f"/jobs/{STANNARD}/repairs/test", outcome="better", words="").status_code, 422)
        self.assertEqual(self.post(f"/jobs/{STANNARD}/repairs/test", outcome="better", words="no crackle now").status_code, 303)
        self.assertNotIn("not tested.", self.get(f"/jobs/{STANNARD}").get_data(as_text=True))

    def test_from_the_sweep_one_comes_with_the_part_chosen_and_a_change_asks_for_the_bands_again(self) -> None:
        self.post(f"/jobs/{DUNLIN}/parts", part="R11", value="101 m100")
        self.post(f"/jobs/{DUNLIN}/parts", part="C14b-i", value="20k")
        swept = self.get(f"/jobs/{DUNLIN}/parts").get_data(as_text=True)
        for part, choice in (("R11", "R11"), ("can:C14", "can:C14")):
            self.assertIn(f'href="{self.PATH}?part={part}"', swept)
            self.assertIn(f'<option value="{choice}" selected>', self.get(f"{self.PATH}?part={part}").get_data(as_text=True))
        bands = f"/jobs/{DUNLIN}/bands"
        form = {"generator-MW": "alive", "level-MW": "60µ", "coil-MW": "4.7", "coupling": "dummy aerial", "was_on": "yes"}
        self.post(bands, **form)
        self.post(self.PATH, part="R11", what="replaced", looked_over="yes")
        self.assertIn("R11 was replaced since: hear every band again", self.get(bands).get_data(as_text=True))
        self.post(bands, **form, again="yes")
        self.assertIn("Every band is alive", self.get(bands).get_data(as_text=True))

    def test_a_new_resistor_is_to_be_looked_at_warm_until_it_was(self) -> None:
        self.post(self.PATH, part="R11", what="replaced", looked_over="yes")
        said = "R11 is new: look how warm it gets"
        self.assertIn(said, self.get(f"/jobs/{DUNLIN}").get_data(as_text=True))
        with self.workshop.store() as conn:
            for kind, detail, minute in (
                ("rung", {"rung": 2}, 0),
                ("rail", {"point": "rail", "v": 236.0}, 1),
                ("rail", {"point": "rail", "v": 236.0}, 12),
            ):
                starts.add_entry(conn, job_id=DUNLIN, kind=kind, detail=json.dumps(detail), at_utc=f"2030-01-01T10:{minute:02}:00.000Z")
        for page in (f"/jobs/{DUNLIN}", f"/jobs/{DUNLIN}/start"):
            text = self.get(page).get_data(as_text=True)
            self.assertIn(said, text)
            self.assertIn("now, 11 minutes on", text)
        for part, minutes, gone in (("R11", "4", False), ("R12", "15", False), ("R11, by the valve", "15", True)):
            self.post(f"/jobs/{DUNLIN}/notes", kind="warmth", part=part, minutes=minutes, degrees="60")
            self.assertEqual(said not in self.get(f"/jobs/{DUNLIN}").get_data(as_text=True), gone, part)

    def test_two_windows_on_the_same_changes(self) -> None:
        seen = re.search(r'name="seen" value="(\d+)"', self.get(self.PATH).get_data(as_text=True))[1]  # type: ignore[index]
        self.assertEqual(self.post(self.PATH, part="R11", what="mended", looked_over="yes", seen=seen).status_code, 303)
        late = self.post(self.PATH, part="R1", what="mended", looked_over="yes", words="second window", seen=seen)
        self.assertEqual(late.status_code, 409)
        self.assertIn("Another window has written to the changes meanwhile", late.get_data(as_text=True))
        self.assertIn('value="second window"', late.get_data(as_text=True))


class OpeningAJob(PageTest):
    def test_with_a_set_that_is_new_in_one_go(self) -> None:
        form = {"model": "dunlin-3", "serial": "D 9", "owner": "J.P.", "complaint": "hums\nfades", "bench": "typed"}
        first = self.post("/jobs", **form).headers["Location"]
        self.assertIn("D 9", self.get(first).get_data(as_text=True))
        second = self.post("/jobs", **form).headers["Location"]
        self.assertNotEqual(first, second)
        with self.workshop.store() as conn:
            self.assertEqual(conn.execute("SELECT count(*) FROM radio_set WHERE serial = 'D 9'").fetchone()[0], 1)
        self.assertIn("Choose the model of this set", self.post("/jobs", serial="7", complaint="x", bench="typed").get_data(as_text=True))

    def test_a_model_without_papers_is_sketched_and_starts_as_live(self) -> None:
        form = {"name": "Grey portable", "safety_class": "unknown", "if_hz": "455k", "bands": "530k-1600k medium wave\n6M-18M short wave"}
        self.assertEqual(self.post("/models/sketch", **form).headers["Location"], "/models/grey-portable")
        where = self.post("/jobs", model="grey-portable", serial="1", complaint="dead", bench="typed").headers["Location"]
        self.assertIn("Treat the chassis as live", self.get(f"{where}/start").get_data(as_text=True))
        self.assertIn("Short wave", self.get(f"{where}/bands").get_data(as_text=True))
        out = json.loads(self.get("/models/grey-portable/dossier.json").data)
        self.assertEqual(out["source"]["kind"], "worked out at the bench")
        text = self.post("/models/sketch", **{**form, "if_hz": "455 kg", "bands": "1600k-530k upside down", "name": "!"}).get_data(
            as_text=True
        )
        for fault in ("sketch-name-fault", "sketch-if_hz-fault"):
            self.assertIn(fault, text)
        self.assertIn("does not rise", self.post("/models/sketch", **{**form, "name": "B", "bands": "16M-6M a"}).get_data(as_text=True))

    def test_values_that_no_set_has_are_refused_in_words(self) -> None:
        form = {"name": "Odd", "safety_class": "unknown", "if_hz": "455k", "bands": "530k-1600k medium wave"}
        for field, value in (
            *(("if_hz", v) for v in ("999999999999", "1e-40", "5e-324", "−0", "-455k", "1e400", "٤٥٥k", "")),
            *(("bands", v) for v in ("530k-999999999999 x", "1e-40-1M a", "−0-5k q", "530k-1600k m: 999999999999", "530k-1600k m: −0", "")),
            *(("transformers", v) for v in ("999999999999", "−0", "1e-40", "٣", "2.5")),
        ):
            with self.subTest(field, value=value):
                answer = self.post("/models/sketch", **{**form, field: value})
                self.assertEqual(answer.status_code, 422)
                self.assertIn(f"sketch-{field}-fault", answer.get_data(as_text=True))

    def test_jobs_are_found_by_every_word_and_signs_stand_for_themselves(self) -> None:
        for words, found in (("dunlin hums", 1), ("20318", 1), ("halvern", 5), ("halvern dunlin", 0), ("%", 0), ("_", 0), ("!", 0)):
            text = self.get("/", query_string={"q": words}).get_data(as_text=True)
            self.assertEqual(len(re.findall(r'href="/jobs/\d+"', text)), found, words)
        renamed = json.loads(self.get("/models/dunlin-3/dossier.json").data) | {"name": "Dunlin Three"}
        self.post("/models", dossier=(io.BytesIO(json.dumps(renamed).encode()), "dunlin.json"))
        self.assertIn('href="/jobs/5"', self.get("/?q=dunlin+three+30417").get_data(as_text=True))
        self.assertIn("No job has “halvern dunlin”", self.get("/?q=halvern+dunlin").get_data(as_text=True))
        self.assertEqual(self.get("/?page=99").status_code, 200)
