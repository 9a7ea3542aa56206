"""A prefix that was forgotten is asked about wherever a value is typed; a slip that was kept can be struck, and stays to be seen."""

import re

from calm_needle.store import starts
from tests.support.client import TYPED_JOB, PageTest
from tests.support.looked import LOOKED

START = f"/jobs/{TYPED_JOB}/start"


class Slips(PageTest):
    off = True

    def start_page(self) -> str:
        return self.get(START).get_data(as_text=True)

    def seen(self, path: str = START) -> str:
        found = re.search(r'name="seen" value="(\d+)"', self.get(path).get_data(as_text=True))
        assert found
        return found[1]

    def say(self, what: str, **form: str) -> int:
        return self.post(f"{START}/{what}", json=False, seen=self.seen(), **form).status_code

    def kinds(self) -> list[str]:
        with self.workshop.store() as conn:
            return [e.kind for e in starts.entries(conn, TYPED_JOB)]

    def test_amperes_that_were_milliamperes_stop_no_start_and_one_click_takes_what_was_meant(self) -> None:
        self.assertEqual(self.say("climb", **LOOKED), 303)
        answer = self.post(f"{START}/read", seen=self.seen(), current="85")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("85.0\u2009A, or 85.0\u2009mA? ↓ takes 85.0\u2009mA", answer.get_data(as_text=True))
        self.assertEqual(self.kinds(), ["off", "look", "rung"])
        taken = {"take-current": "85 mA", "sure-current": "85"}
        self.assertEqual(self.say("read", current="85", **taken), 303)
        self.assertIn("current 85 mA", self.start_page())

    def test_what_is_sent_once_more_is_meant_and_what_was_a_slip_after_all_is_struck_with_a_reason(self) -> None:
        self.say("climb", **LOOKED)
        self.assertEqual(self.say("read", current="85", **{"sure-current": "85"}), 303)
        self.assertIn("Stopped: 85.0\u2009A is at or over the limit of 120\u2009mA, behind a 40 W lamp.", self.start_page())
        with self.workshop.store() as conn:
            entry = str(starts.entries(conn, TYPED_JOB)[-1].id)
        self.assertEqual(self.say("strike", entry=entry, reason=""), 422)
        self.assertEqual(self.say("strike", entry="1000000", reason="mine"), 422)
        self.assertEqual(self.say("strike", entry=entry, reason="milliamperes"), 303)
        page = self.start_page()
        self.assertNotIn("Stopped", page)
        self.assertIn("struck: milliamperes", page)
        self.assertEqual(self.say("strike", entry=entry, reason="again"), 422)

    def test_smoke_is_no_slip(self) -> None:
        self.say("climb", **LOOKED)
        self.post(f"{START}/smoke", words="")
        with self.workshop.store() as conn:
            entry = str(starts.entries(conn, TYPED_JOB)[-1].id)
        self.assertEqual(self.say("strike", entry=entry, reason="steam of the kettle"), 422)

    def test_a_rail_a_coil_and_a_new_part_are_asked_about_beside_what_is_drawn(self) -> None:
        self.say("climb", **LOOKED)
        page = self.start_page()
        rail = re.search(r'name="(rail-[^"]+)"', page)
        assert rail
        self.assertEqual(self.say("read", **{rail[1]: "0.2"}), 422)
        bands = f"/jobs/{TYPED_JOB}/bands"
        coil = "coil-MW"
        live = self.post(bands, seen=self.seen(bands), **{coil: "4.2", "coupling": "dummy aerial"})
        self.assertIn("The set is on since", live.get_data(as_text=True))
        self.assertEqual(self.post(f"{START}/power", to="off", back=bands).headers["Location"], bands)
        self.assertEqual(self.post(bands, seen=self.seen(bands), **{coil: "4200", "coupling": "dummy aerial"}).status_code, 422)
        before = self.seen(bands)
        self.assertEqual(self.post(bands, seen=before, **{coil: "4.2", "coupling": "dummy aerial"}).status_code, 303)
        between = self.seen(bands)
        self.assertEqual(self.post(bands, seen=between, **{coil: "4.3", "coupling": "dummy aerial"}).status_code, 303)
        for late in (before, between):  # two windows: what was kept meanwhile was not seen by either
            self.assertIn(self.post(bands, seen=late, **{coil: "4.4", "coupling": "dummy aerial"}).status_code, (409, 422))
