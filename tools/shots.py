"""Refresh docs/screenshots from the demo data: `./run shots [NAME …]`, 1280 x 800, one picture of each main view."""

import re
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
from playwright.sync_api import Page

from calm_needle.core.response import pair_levels_db
from tests.browser.pages.bench_page import BenchPage
from tests.support.browser import LiveServer, close_shared_browser, new_page

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
IF_JOB = re.compile("20318")
OLDER_JOB = re.compile("19077")


def shelf(page: Page) -> None:
    page.goto("/")


def job(page: Page) -> None:
    open_job(page, IF_JOB)


def dossier(page: Page) -> None:
    page.goto("/models/halvern-6b")


def instruments(page: Page) -> None:
    page.goto("/instruments")


def bench_set_up(page: Page) -> None:
    open_job(page, IF_JOB)
    page.get_by_role("button", name="Begin at the bench").click()
    BenchPage(page).wait_until_ready()


def bench_past_the_crest(page: Page) -> None:
    bench = BenchPage.at_first_core(page)
    turn_until(bench, "Past the crest")


def bench_lamp(page: Page) -> None:
    page.emulate_media(color_scheme="dark")
    bench_past_the_crest(page)


def bench_typed(page: Page) -> None:
    bench = BenchPage.begin(page, "20544")
    bench.press_and_wait_for("Enter", "Measure the IF strip as found")
    bench.type_reading("88m")
    page.keyboard.press("Enter")
    page.get_by_role("heading", level=1, name="Peak the lower core of IFT2").wait_for()
    for text in ("88m", "91m", "97m", "108m", "121m", "136m", "146m", "151m", "148m", "139m", "128m", "117m"):
        bench.type_reading(text)


def bench_instrument_lost(page: Page) -> None:
    bench = BenchPage.at_first_core(page)
    LIVE[0].workshop.stand_ins.unplug()
    bench.wait_for_link("ac-millivoltmeter", "lost")


def record(page: Page) -> None:
    open_job(page, OLDER_JOB)
    page.get_by_role("link", name=re.compile("[Rr]ecord|[Bb]efore and after")).first.click()


def shelf_refused_dossier(page: Page) -> None:
    page.goto("/")
    page.get_by_text("Bring in a dossier", exact=True).click()
    page.get_by_label("Dossier file").set_input_files(
        {"name": "halvern-6b.json", "mimeType": "application/json", "buffer": b'{"format": "calm-needle/model", "version": 1}'}
    )
    page.get_by_role("button", name="Take it in").click()
    page.get_by_role("alert").scroll_into_view_if_needed()


def intake(page: Page) -> None:
    page.goto("/jobs/4/intake")


def start(page: Page) -> None:
    page.goto("/jobs/4/start")
    page.get_by_role("button", name="Take the first rung").click()
    page.get_by_label("Current in").fill("52m")
    page.get_by_label("Smoothed rail").fill("96")
    page.get_by_role("button", name="Keep what they show").click()


def bands(page: Page) -> None:
    page.goto("/jobs/4/bands")
    for band, level, coil in (("long wave", "35µ", "27"), ("medium wave", "420µ", "open"), ("short wave", "22µ", "0.4")):
        page.get_by_label(f"{band}, from the generator").select_option("alive")
        page.get_by_label(f"{band}, level needed").fill(level)
        page.get_by_label(f"{band}, aerial coil").fill(coil)
    page.get_by_role("button", name="Keep it").click()


def parts(page: Page) -> None:
    page.goto("/jobs/4/parts")
    for name, value in (("R1", "24.1k"), ("R2", "61k"), ("R3", "231"), ("C5", "98n"), ("C6", "101p"), ("C30a", "11u"), ("C30b", "29u")):
        page.locator(f"#in-{name}").fill(value)
        page.locator(f"#in-{name}").press("Enter")
        page.locator(f"#part-{name} [data-verdict]:not([data-verdict=blank])").wait_for()
    page.evaluate("() => window.scrollTo(0, 0)")


def reckon(page: Page) -> None:
    page.goto("/reckon")


def reckon_tracking(page: Page) -> None:
    page.goto("/reckon/tracking?from=2:MW")


def reckon_coupled_pair(page: Page) -> None:
    rows = [f"{f};{v:.2f}".replace(".", ",") for f, v in _swept()]
    page.goto("/reckon/coupled-pair")
    page.get_by_label("Fit a measured response").set_input_files(
        {"name": "as-found.csv", "mimeType": "text/csv", "buffer": ("frequency (kHz);level (dB)\n" + "\n".join(rows)).encode()}
    )
    page.get_by_role("button", name="Read the file and reckon").click()
    page.get_by_role("status").filter(has_text="points").wait_for()


def reckon_gang_match(page: Page) -> None:
    page.goto("/reckon/gang-match")


def _swept() -> list[tuple[float, float]]:
    """A staggered transformer, swept by hand."""
    wobble = (0.1, -0.15, 0.05, 0.2, -0.1, 0.0, -0.2, 0.15)
    levels = pair_levels_db(np.linspace(456e3, 478e3, 45), f1_hz=465.4e3, q1=84.0, f2_hz=469.6e3, q2=72.0, kappa=0.9)
    return [(456.0 + 0.5 * i, float(v) + wobble[i % len(wobble)] - 20.0) for i, v in enumerate(levels)]


VIEWS: tuple[Callable[[Page], None], ...] = (
    shelf,
    job,
    dossier,
    instruments,
    bench_set_up,
    bench_past_the_crest,
    bench_lamp,
    bench_typed,
    bench_instrument_lost,
    record,
    shelf_refused_dossier,
    intake,
    start,
    bands,
    parts,
    reckon,
    reckon_tracking,
    reckon_coupled_pair,
    reckon_gang_match,
)
LIVE: list[LiveServer] = []


def open_job(page: Page, name: re.Pattern[str]) -> None:
    page.goto("/")
    page.get_by_role("link", name=name).click()


def turn_until(bench: BenchPage, words: str) -> None:
    way = 1
    for _ in range(200):
        if words in bench.advice:
            return
        if bench.main_act == "Set the level":
            bench.press("Enter")
        if "anticlockwise" in bench.advice:
            way = -1
        bench.turn(way)
    raise AssertionError(f"“{words}” was never said; it says “{bench.advice}”")


def main(names: list[str]) -> int:
    FOLDER.mkdir(parents=True, exist_ok=True)
    for view in VIEWS:
        name = view.__name__.replace("_", "-")
        if names and name not in names:
            continue
        live = LiveServer()
        LIVE[:] = [live]
        page = new_page(live.url, errors=[])
        try:
            view(page)
            if page.get_by_text("Calm Needle has made a mistake").count():
                raise AssertionError(f"{name} shows a failure; nothing was kept")
            page.wait_for_timeout(700)  # pointer and fonts come to rest
            page.screenshot(path=FOLDER / f"{name}.png")
            print(f"docs/screenshots/{name}.png", flush=True)
        finally:
            page.context.close()
            live.close()
    close_shared_browser()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
