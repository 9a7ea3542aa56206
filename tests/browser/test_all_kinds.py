"""One run through a step of every kind, by typed readings, in the browser."""

import re

from playwright.sync_api import expect

from calm_needle.clock import SYSTEM
from calm_needle.store import shelf
from calm_needle.work.bench.run_book import begin_run
from calm_needle.work.jobs import shelf as shelf_work
from calm_needle.work.record import run_record
from tests.browser.pages.bench_page import BenchPage
from tests.support import every_kind
from tests.support.browser import BrowserTest


class EveryKindOfStep(BrowserTest):
    demo = False

    def begin(self) -> tuple[BenchPage, int]:
        with self.live.workshop.store() as conn:
            model = shelf_work.take_in_dossier(conn, every_kind.content(), name="every-kind.json")
            row = shelf.model_by_key(conn, model.key)
            assert row is not None
            set_id = shelf.add_set(conn, model_id=row.id, serial="13", owner="", remarks="", at_utc=SYSTEM.text())
            job_id = shelf.add_job(conn, set_id=set_id, complaint="everything", bench="typed", at_utc=SYSTEM.text())
            run_id = begin_run(conn, job_id=job_id, phase="intermediate frequency", at_utc=SYSTEM.text())
        self.page.goto(f"/bench/{run_id}")
        bench = BenchPage(self.page)
        bench.wait_until_ready()
        return bench, run_id

    def do(self, bench: BenchPage, right: every_kind.Right) -> None:
        for i, text in enumerate(right.typed):
            if right.at:
                self.page.get_by_label("At which frequency").fill(right.at[i])
                kept = self.page.get_by_role("list", name="Kept readings")
                self.page.locator("#reading").fill(text)
                self.page.keyboard.press("Enter")
                expect(kept).to_contain_text(f"at {right.at[i].rstrip('kM')[:3]}")
            else:
                bench.type_reading(text)
        bench.press(right.press)

    def test_each_is_set_up_judged_advised_taken_and_recorded(self) -> None:
        bench, run_id = self.begin()
        for i, (step, right) in enumerate(every_kind.STEPS):
            title = f"Step {i}: {step['kind']}"
            with self.subTest(step["kind"]):
                if bench.title == "Set up first":
                    card = self.page.get_by_role("region", name="Set up")
                    for shown in ("Medium wave", "600\u2009kHz", "covers off", "gain control off", "468.000\u2009kHz", "V1"):
                        expect(card).to_contain_text(re.compile(re.escape(shown), re.IGNORECASE))
                    bench.press_and_wait_for("Enter", title)
                self.assertEqual(bench.title, title)
                self.do(bench, right)
                expect(self.page.get_by_role("heading", level=1)).not_to_have_text(title)
        self.assertEqual(bench.title, "All done here")
        bench.press("Enter")
        self.page.wait_for_url("**/runs/*/record")
        record = run_record.record_of(self.live.workshop, run_id)
        said = [line.words for line in record.lines]
        self.assertEqual(said, [right.words or "taken" for step, right in every_kind.STEPS if step["kind"] != "check"])
        self.assertEqual([line.outcome for line in record.lines], ["take"] * sum(step["kind"] != "check" for step, _ in every_kind.STEPS))
