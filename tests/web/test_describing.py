"""Describing an instrument on its page: tried on real answers, used once it has answered, given to others as a file."""

import io

from calm_needle.core.description import parse_description, write_description
from tests.core.test_description import GENERATOR, METER, spoilt
from tests.support.client import PageTest
from tests.support.odd_dialect import OddDialect

FIELDS = {
    "kind": "ac-millivoltmeter",
    "name": "Tern Rock TV-2",
    "line-ends": "CR",
    "line-answers_end": "CR LF",
    "line-baud": "9600",
    "reads-alternating_volts-send": "D1",
    "reads-alternating_volts-after": "AC",
    "reads-alternating_volts-decimal": ",",
    "reads-alternating_volts-units": "mV=0.001 V=1",
}


class Describing(PageTest):
    def meter(self) -> OddDialect:
        dialect = OddDialect({"D1": "AC +0123,4 mV\r\n"}.get)
        self.addCleanup(dialect.close)
        return dialect

    def test_every_kind_has_its_fields(self) -> None:
        self.assertIn("Describe it", self.get("/instruments").get_data(as_text=True))
        for kind, words in (("counter", "It reads frequency"), ("generator", "Send, for the level"), ("nothing", "alternating volts")):
            self.assertIn(words, self.get(f"/instruments/describe?kind={kind}").get_data(as_text=True))

    def test_what_is_found_in_an_answer_is_shown_as_the_fields_stand(self) -> None:
        for answer, wanted in (
            ("AC +0123,4 mV", {"before": "AC ", "number": "+0123,4", "behind": " mV", "means": "123.400\u2009mV", "words": ""}),
            ("AC ERR", {"number": "", "words": "No number is found there."}),
        ):
            told = self.post("/instruments/describe/find", json=True, **FIELDS, quantity="alternating_volts", answer=answer).get_json()
            self.assertEqual({k: told[k] for k in wanted}, wanted)
        bad = FIELDS | {"reads-alternating_volts-which": "first"}
        told = self.post("/instruments/describe/find", json=True, **bad, quantity="alternating_volts", answer="1").get_json()
        self.assertIn("which: it is a whole number", told["words"])

    def test_it_is_asked_once_and_its_answer_shown_as_it_is(self) -> None:
        dialect = self.meter()
        form = FIELDS | {"resource": dialect.resource, "quantity": "alternating_volts"}
        self.assertEqual(self.post("/instruments/describe/ask", json=True, **form).get_json(), {"answer": "AC +0123,4 mV"})
        nobody = self.post("/instruments/describe/ask", json=True, **(form | {"resource": "ASRL/dev/nothing::INSTR"}))
        self.assertEqual(nobody.status_code, 422)

    def test_one_that_answers_is_used_and_its_file_can_be_given_to_others(self) -> None:
        dialect = self.meter()
        self.assertEqual(self.post("/instruments/describe", **FIELDS, resource=dialect.resource).status_code, 303)
        page = self.get("/instruments").get_data(as_text=True)
        self.assertIn("Tern Rock TV-2, by its description", page)
        again = self.get("/instruments/describe?kind=ac-millivoltmeter").get_data(as_text=True)
        self.assertIn(dialect.resource, again)
        self.assertIn("mV=0.001 V=1", again)
        file = self.post("/instruments/describe/take", **FIELDS)
        described = parse_description(file.data, name="a")
        self.assertEqual(described.reads["alternating_volts"].units, {"mV": 1e-3, "V": 1.0})
        brought = self.post("/instruments/describe/file", file=(io.BytesIO(file.data), "tv-2.json")).get_data(as_text=True)
        self.assertIn('value="D1"', brought)
        self.workshop.use_stand_ins(False)
        self.assertTrue(self.workshop.equipment.has("ac-millivoltmeter"))
        self.workshop.live.equipment.greet()
        self.assertEqual([s.state for s in self.workshop.equipment.states], ["ready"])

    def test_one_that_does_not_answer_is_not_used_and_nothing_typed_is_lost(self) -> None:
        dialect = OddDialect(lambda _: "WHAT?\r\n")
        self.addCleanup(dialect.close)
        answer = self.post("/instruments/describe", **FIELDS, resource=dialect.resource)
        text = answer.get_data(as_text=True)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("WHAT?", text)
        self.assertIn("mV=0.001 V=1", text)
        self.assertEqual(self.workshop.instruments(), [])

    def test_every_fault_stands_at_its_field(self) -> None:
        bad = FIELDS | {"name": "", "reads-alternating_volts-factor": "much", "reads-alternating_volts-units": "mV", "resource": ""}
        answer = self.post("/instruments/describe", **bad)
        self.assertEqual(answer.status_code, 422)
        text = answer.get_data(as_text=True)
        for field in ("name", "resource", "reads-alternating_volts-factor", "reads-alternating_volts-units"):
            self.assertIn(f'id="d-{field}-fault"', text)
        self.assertIn("4 fields have to be put right", text)
        without = self.post("/instruments/describe", kind="generator", name="G", resource="ASRL1::INSTR").get_data(as_text=True)
        self.assertIn('id="d-sets-frequency-send-fault"', without)

    def test_a_hostile_description_is_refused_whole(self) -> None:
        for content in (spoilt(run="x"), spoilt(reads={"alternating_volts": {"send": "D1\rERASE"}}), b"{", write_description(METER)[:-9]):
            answer = self.post("/instruments/describe/file", file=(io.BytesIO(content), "evil.json"))
            self.assertEqual(answer.status_code, 422)
            self.assertNotIn('value="D1"', answer.get_data(as_text=True))
        answer = self.post("/instruments/describe/file", file=(io.BytesIO(write_description(GENERATOR)), "g.json"))
        self.assertIn("FR{value}KZ", answer.get_data(as_text=True))

    def test_what_is_told_is_tried_with_the_least_and_the_greatest_value(self) -> None:
        told = {
            "kind": "generator",
            "name": "G-9",
            "sets-frequency-send": "FR{value}KZ",
            "sets-frequency-factor": "0.001",
            "sets-level-send": "AP{value}V",
        }
        refused = self.post("/instruments/describe/take", **told, **{"sets-level-decimals": "3"}).get_data(as_text=True)
        self.assertIn("1.000\u2009µV cannot be told within 1 %", refused)
        page = self.post("/instruments/describe", **told, **{"sets-level-decimals": "9"}).get_data(as_text=True)  # it has no address yet
        for line in ("FR100.000KZ", "FR30000.000KZ", "AP0.000001000V", "AP0.100000000V"):
            self.assertIn(line, page)
