"""Refresh docs/screenshots from the demo data: `./run shots [NAME …]`, 1280 x 800, one picture of each main view."""

import re
import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page

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


def bench_keys(page: Page) -> None:
    BenchPage.at_first_core(page).press("?")


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


VIEWS: tuple[Callable[[Page], None], ...] = (
    shelf,
    job,
    dossier,
    instruments,
    bench_set_up,
    bench_past_the_crest,
    bench_lamp,
    bench_typed,
    bench_keys,
    bench_instrument_lost,
    record,
    shelf_refused_dossier,
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
