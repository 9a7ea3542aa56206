"""A dossier as tables: nothing of it is lost by being shown and kept again; what is typed is read in its unit or refused at its cell."""

import json
import unittest
from typing import Any

from calm_needle.core.dossier.compare import MISSING, carried, differences
from calm_needle.core.dossier.tables import TABLES, texts, with_table
from calm_needle.errors import FieldsRefused
from calm_needle.files.dossiers import load_dossier
from tests.support import dossiers


def typed(name: str, data: dict[str, Any], **changed: str) -> dict[str, str]:
    """A table as its page sends it, untouched but for what is changed."""
    table = TABLES[name]
    cells = {f"{c.key}-{n}": text for n, row in enumerate(texts(table, data)) for c, text in zip(table.columns, row, strict=True)}
    return cells | changed


class Tables(unittest.TestCase):
    def test_what_is_not_touched_stays_exactly_as_it_was_in_every_table_of_every_dossier(self) -> None:
        for key in (m.key for m in dossiers.all_models()):
            data = dossiers.data(key)
            for name, table in TABLES.items():
                with self.subTest(dossier=key, table=name):
                    kept = with_table(table, data, typed(name, data))
                    self.assertEqual(json.dumps(kept, sort_keys=True), json.dumps(data, sort_keys=True))

    def test_a_row_more_a_row_less_and_a_value_changed_make_a_sound_dossier_and_leave_the_given_one_alone(self) -> None:
        data = dossiers.data("halvern-6b")
        before = json.dumps(data)
        count = len(data["parts"])
        new = {"id": "R99", "kind": "resistor", "nominal": "4k7", "tolerance_percent": "10", "region": "tuning"}
        form = typed("parts", data, **{"nominal-0": "33k", "out-1": "yes"}) | {f"{k}-{count}": v for k, v in new.items()}
        changed = with_table(TABLES["parts"], data, form)
        self.assertEqual(json.dumps(data), before)
        self.assertEqual(len(changed["parts"]), count)
        self.assertEqual(changed["parts"][0]["nominal"], 33e3)
        self.assertEqual(changed["parts"][-1]["nominal"], 4.7e3)
        load_dossier(json.dumps(changed).encode(), name="changed.json")

    def test_a_point_is_moved_to_another_stage_and_a_stage_that_is_not_there_is_refused(self) -> None:
        data = dossiers.data("halvern-6b")
        first = texts(TABLES["points"], data)[0]
        moved = with_table(TABLES["points"], data, typed("points", data, **{"in-0": "audio"}))
        self.assertIn(first[1], [p["id"] for s in moved["stages"] if s["id"] == "audio" for p in s["test_points"]])
        with self.assertRaisesRegex(FieldsRefused, "There is no nowhere"):
            with_table(TABLES["points"], data, typed("points", data, **{"in-0": "nowhere"}))

    def test_each_cell_that_cannot_be_read_is_named(self) -> None:
        data = dossiers.data("halvern-6b")
        with self.assertRaises(FieldsRefused) as caught:
            with_table(TABLES["bands"], data, typed("bands", data, **{"f_low_hz-0": "15O k", "side-1": "beside"}))
        self.assertEqual(set(caught.exception.faults), {"f_low_hz-0", "side-1"})


class Comparing(unittest.TestCase):
    def test_a_dossier_is_the_same_as_itself_and_each_change_is_named_where_it_is(self) -> None:
        data = dossiers.data("halvern-6b")
        self.assertEqual(differences(data, data), [])
        other = with_table(TABLES["parts"], data, typed("parts", data, **{"nominal-0": "33k"}))
        found = differences(data, other)
        self.assertEqual([d.way for d in found], [("parts", data["parts"][0]["id"], "nominal")])
        self.assertIn("→ 33000", found[0].words)

    def test_what_was_changed_is_carried_into_a_newer_one_and_what_contradicts_it_is_said(self) -> None:
        base = dossiers.data("halvern-6b")
        own = with_table(TABLES["parts"], base, typed("parts", base, **{"nominal-0": "33k", "nominal-1": "39k", "out-2": "yes"}))
        own["parts"].append({"id": "R99", "kind": "resistor", "nominal": 10.0, "tolerance_percent": 5.0, "region": "tuning"})
        newer = with_table(TABLES["parts"], base, typed("parts", base, **{"nominal-1": "56k", "tolerance_percent-0": "5"}))
        merged, lost = carried(differences(base, own), into=newer)
        parts = {p["id"]: p for p in merged["parts"]}
        first, second, third = (base["parts"][i]["id"] for i in range(3))
        self.assertEqual((parts[first]["nominal"], parts[first]["tolerance_percent"]), (33e3, 5.0))
        self.assertEqual(parts[second]["nominal"], 56e3)  # the newer one says otherwise: it stands, and it is said
        self.assertEqual([d.way for d in lost], [("parts", second, "nominal")])
        self.assertNotIn(third, parts)
        self.assertIn("R99", parts)

    def test_carried_into_what_it_was_made_from_it_comes_to_the_same(self) -> None:
        base = dossiers.data("corvane-r-40")
        own = with_table(TABLES["marks"], base, typed("marks", base, **{"dial_hz-1": "", "position_mm-1": ""}) | {"out-1": "yes"})
        found = differences(base, own)
        self.assertIs(found[0].after, MISSING)
        self.assertEqual(carried(found, into=base), (own, []))
