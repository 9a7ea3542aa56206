"""One short whole job at the bench by instruments, in the browser; the one by typed readings is test_all_kinds."""

from playwright.sync_api import expect

from tests.browser.pages.bench_page import BenchPage
from tests.support.apprentice import Apprentice
from tests.support.browser import BrowserTest
from tests.support.whole_job import AFTER_ONE_ROUND, bring_in


class TheScout(BrowserTest):
    def expected_errors(self) -> tuple[str, ...]:
        # The level came right by itself between the look and the key, which then takes; the page asks whether that is meant.
        return ("409 (CONFLICT)",)

    def test_its_cans_are_aligned_once_round_by_following_the_advice(self) -> None:
        bring_in(self.live.workshop, model="pellow-scout", serial="S 90001")
        bench = BenchPage.begin(self.page, "S 90001")
        bench.wait_for_links()
        Apprentice(bench).go_through(rounds=1)
        truth = self.live.workshop.live.truth()
        assert truth is not None
        far_hz, far_db = AFTER_ONE_ROUND
        self.assertLess(abs(truth.peak_hz - 452e3), far_hz)
        self.assertLess(truth.loss_db - truth.best_loss_db, far_db)
        bench.press("Enter")
        self.page.wait_for_url("**/record")
        expect(self.page.get_by_role("heading", name="In figures")).to_be_visible()
