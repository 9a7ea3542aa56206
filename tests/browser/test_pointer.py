"""The pointer measured at the bench: three returns from either end of the scale, one key each, and what was found is kept for the set."""

import re

from playwright.sync_api import expect

from tests.browser.test_dial_ways import Ways

PADDER_JOB = "/jobs/9"


class ComesBack(Ways):
    def test_it_is_measured_by_six_returns_said_and_not_offered_again(self) -> None:
        bench = self.begin_by("counter")
        bench.wait_for_links()
        for _ in range(3):
            self.on("Enter")
            expect(self.page.locator("[data-part=advice]")).to_contain_text("Take it")
            self.on("Enter")
        offered = self.page.get_by_role("button", name=re.compile("Measure the pointer"))
        expect(offered).to_be_visible()
        offered.click()
        expect(self.page.get_by_role("heading", level=1)).to_have_text("Set up first")
        for side in ("lower", "upper") * 3:
            self.on("Enter")
            expect(self.page.get_by_role("heading", level=1)).to_contain_text(f"come from the {side} end")
            expect(self.page.locator("[data-part=advice]")).to_contain_text("Take it")
            self.on("Enter")
        self.assertRegex(
            bench.evidence, r"The pointer comes back to ±0\.\d\d.mm \(95 %\), backlash 0\.00.mm, its cord does not slip; 6 returns"
        )
        self.assertRegex(bench.evidence, r"Worst anywhere on the scale: [\d.]+.k?Hz ± [\d.]+.k?Hz \(95 %\)")
        expect(offered).to_have_count(0)
