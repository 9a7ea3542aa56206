"""Whole IF phases on the real page by following the advice with the key, turns unknown to the program: how they end, how long they take."""

import time
from collections.abc import Iterator
from typing import NamedTuple

from tests.browser.pages.bench_page import BenchPage
from tests.support.apprentice import Apprentice
from tests.support.browser import LiveServer, close_shared_browser, new_page
from tests.support.whole_job import bring_in

ALL = 99


class Job(NamedTuple):
    model: str
    serial: str
    if_hz: float
    new: bool = False  # a set that the demo world does not have, for its own carries a fault


JOBS = (Job("halvern-6b", "20318", 468e3), Job("pellow-scout", "S 90001", 452e3, new=True), Job("corvane-r-40", "R40-0611", 465e3))


def run() -> Iterator[str]:
    """Yield a line a job: where it peaks, what is left, rounds, minutes."""
    for job in JOBS:
        live = LiveServer(times=1.0)
        errors: list[str] = []
        try:
            if job.new:
                bring_in(live.workshop, model=job.model, serial=job.serial)
            page = new_page(live.url, errors=errors, reduced_motion="reduce")
            began = time.monotonic()
            apprentice = Apprentice(BenchPage.begin(page, job.serial))
            apprentice.bench.wait_for_links()
            apprentice.go_through(blind=ALL)
            minutes = (time.monotonic() - began) / 60.0
            truth = live.workshop.live.truth()
            assert truth is not None
            yield (
                f"{job.model}: peaks {truth.peak_hz - job.if_hz:+.0f} Hz from its IF, {truth.loss_db - truth.best_loss_db:.2f} dB left, "
                f"{apprentice.rounds} rounds, {minutes:.1f} min{''.join(f'; console: {e}' for e in errors)}"
            )
            page.context.close()
        finally:
            live.close()
    close_shared_browser()
