"""A whole phase at the bench, by a person on the real page with the keyboard."""

from playwright.sync_api import expect

from calm_needle.store import shelf
from calm_needle.store.db import transaction
from calm_needle.work.workshop import Workshop
from tests.browser.pages.apprentice import Apprentice
from tests.browser.pages.bench_page import BenchPage
from tests.support.browser import BrowserTest

BEGAN = "2026-11-25T08:00:00.000Z"


class WholeJob(BrowserTest):
    """By following the advice alone; the first adjusters with the key, their turns unknown to the program.

    `./run bench by-key` does all of them so, which takes its time.
    """

    def align(self, serial: str, *, if_hz: float, blind: int) -> Apprentice:
        bench = BenchPage.begin(self.page, serial)
        bench.wait_for_links()
        apprentice = Apprentice(bench)
        apprentice.go_through(blind=blind)
        truth = self.live.workshop.live.truth()
        assert truth is not None
        self.assertLess(abs(truth.peak_hz - if_hz), 200.0)
        self.assertLess(truth.loss_db - truth.best_loss_db, 0.3)
        bench.press("Enter")
        self.page.wait_for_url("**/record")
        expect(self.page.get_by_role("heading", name="In figures")).to_be_visible()
        return apprentice


def bring_in(workshop: Workshop, *, model: str, serial: str) -> None:
    """A sound set of a model of the demo world, as somebody brings it in, its phases before the IF done."""
    with workshop.store() as conn, transaction(conn):
        row = shelf.model_by_key(conn, model)
        assert row is not None
        set_id = shelf.add_set(conn, model_id=row.id, serial=serial, owner="", remarks="", at_utc=BEGAN)
        job_id = shelf.add_job(conn, set_id=set_id, complaint="Stations run into each other.", bench="instruments", at_utc=BEGAN)
        for phase in ("intake", "safe start", "health"):
            shelf.mark_phase(conn, job_id=job_id, phase=phase, state="done", remark="", at_utc=BEGAN)
