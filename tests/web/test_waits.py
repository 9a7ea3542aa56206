"""What scripts wait for stands in the page, by the clock of its workshop."""

import json
import re
from pathlib import Path

import lxml.html

import calm_needle.web
from calm_needle.web.waits import WAITS_S
from tests.support.client import PageTest
from tests.support.hasty_clock import HastyClock

SCRIPTS = Path(calm_needle.web.__file__).parent / "screens"


class Waits(PageTest):
    demo = False

    def told(self) -> dict[str, float]:
        waits: dict[str, float] = json.loads(lxml.html.fromstring(self.get("/reckon").get_data(as_text=True)).get("data-waits"))
        return waits

    def test_the_page_says_them_and_a_faster_clock_shortens_them(self) -> None:
        self.assertEqual(self.told(), {name: 1e3 * seconds for name, seconds in WAITS_S.items()})
        self.workshop.clock = HastyClock(4.0)
        self.assertEqual(self.told(), {name: 250.0 * seconds for name, seconds in WAITS_S.items()})

    def test_scripts_wait_for_nothing_else(self) -> None:
        waited = set()
        for file in SCRIPTS.glob("*/*.js"):
            text = file.read_text(encoding="utf-8")
            waited |= set(re.findall(r"waitMs\('(\w+)'\)", text))
            self.assertEqual(re.findall(r"setTimeout\([^;]*, [\d_]+\)", text), [], file.name)
        self.assertEqual(waited, set(WAITS_S))
