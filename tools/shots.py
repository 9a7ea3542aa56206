"""Refresh docs/screenshots from the demo data: `./run shots [NAME …]`, 1280 x 800, one picture of each main view."""

import io
import re
import sys
from collections.abc import Callable
from pathlib import Path

from PIL import Image, ImageDraw
from playwright.sync_api import Page, expect

from tests.browser.pages.bench_page import BenchPage
from tests.browser.pages.ears_page import listen_to_the_practice_set
from tests.browser.pages.start_page import StartPage, sweep
from tests.support.browser import LiveServer, close_shared_browser, new_page

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
IF_JOB = re.compile("20318")
BOAT_HOUSE, DUNLIN, STANNARD = 4, 5, 6
PADDER_JOB, PADDER_SET = 9, "21877"
OLDER_JOB = re.compile("19077")


def shelf(page: Page) -> None:
    page.goto("/")


def job(page: Page) -> None:
    open_job(page, IF_JOB)


def instruments(page: Page) -> None:
    page.goto("/instruments")


def ears(page: Page) -> None:
    """The practice set is heard, while the bench stands at its first core."""
    BenchPage.at_first_core(page)
    listen_to_the_practice_set(page)
    expect(page.locator("[data-figure=beat]")).to_have_text(re.compile(r"\d"))


def bench_set_up(page: Page) -> None:
    """By lamp light."""
    page.emulate_media(color_scheme="dark")
    open_job(page, IF_JOB)
    page.get_by_role("button", name="Begin at the bench").click()
    BenchPage(page).wait_until_ready()


def bench_past_the_crest(page: Page) -> None:
    bench = BenchPage.at_first_core(page)
    page.get_by_role("button", name="Hide the turns").click()
    turn_until(bench, "is passed: come back to it")


def record(page: Page) -> None:
    open_job(page, OLDER_JOB)
    page.get_by_role("link", name="record of intermediate frequency").click()


def dial(page: Page) -> None:
    """Medium wave of the Halvern whose padder has drifted, its marks read."""
    bench_dial(page)
    page.goto(f"/jobs/{PADDER_JOB}/dial")
    page.get_by_role("region", name="Medium wave").scroll_into_view_if_needed()
    page.evaluate("() => document.querySelector('[data-band=MW]').scrollIntoView()")


def bench_dial(page: Page) -> None:
    """What is to be done about it: least worst, and what being exact where somebody listens costs."""
    bench = BenchPage.begin(page, PADDER_SET)
    bench.wait_for_links()
    for leave in (True, False):
        while not page.locator("[data-option]").count():
            title = bench.title
            if bench.main_act != "Set it all":
                page.get_by_text("Found. Take it.").wait_for()
            bench.press_and_wait_for("Enter", re.compile(f"^(?!{re.escape(title)}$)"))
        if leave:
            bench.press_and_wait_for("2", "Set up first")
    page.get_by_label("Where its owner listens").fill("909 kHz")
    page.get_by_role("button", name="Show what that costs elsewhere").click()
    page.locator("[data-option=exact]").wait_for()
    page.get_by_role("region", name="What can be done").evaluate("part => part.scrollTo(0, 0)")


def start(page: Page) -> None:
    set_up = StartPage(page, DUNLIN)
    set_up.climb_to_full()
    set_up.watch(5)
    set_up.press("A minute goes by")
    set_up.press("Read the meters")


def bands(page: Page) -> None:
    start = StartPage(page, BOAT_HOUSE)
    start.climb_to_full()
    page.goto(f"/jobs/{BOAT_HOUSE}/bands")
    for band in ("long", "medium", "short"):
        page.get_by_role("button", name=f"Read {band} wave").click()
        page.get_by_label(f"{band} wave, from the generator").filter(has=page.locator("option[selected]")).wait_for()
    StartPage(page, BOAT_HOUSE).press("Switch it off")
    page.goto(f"/jobs/{BOAT_HOUSE}/bands")
    page.get_by_role("button", name="Read the aerial coils").click()
    page.get_by_label("short wave, aerial coil").fill("0.4")
    page.get_by_role("button", name="Keep it").click()


def parts(page: Page) -> None:
    some = ("R1", "R2", "R3", "R4", "C5", "C6", "V1-e", "L2", "L4", "R10", "R11", "C11", "C14a", "C14b", "C14b-i")
    sweep(page, DUNLIN, only=some)
    page.evaluate("() => window.scrollTo(0, 0)")


def guided(page: Page) -> None:
    page.goto(f"/jobs/{BOAT_HOUSE}/guided")
    if (off := page.get_by_role("button", name=re.compile("It is off|Switch it off"))).count():
        off.click()
    begin = page.get_by_role("region", name="A transformer that hardly answers")
    begin.get_by_label("About").select_option("IFT2-p")
    begin.get_by_label("Its sister").select_option("IFT1-p")
    begin.get_by_role("button", name=re.compile("Begin")).click()
    typed: tuple[tuple[dict[str, str], tuple[str, ...]], ...] = (
        ({"turns_tried": "2", "change_db": "0.1"}, ()),
        ({}, ("ohm_here", "ohm_sister", "l_min_h", "l_max_h")),
        ({"across_f": "120 pF"}, ("dip_db", "dip_across_db")),
    )
    for answers, read in typed:
        for name, value in answers.items():
            page.locator(f"#a-{name}").fill(value)
        for name in read:
            with page.expect_navigation():
                page.locator(f"button[name=read][value={name}]").click()
        if "dip_db" not in read:
            with page.expect_navigation():
                page.get_by_role("button", name="Keep the answers").click()


def photographs(page: Page) -> None:
    page.goto(f"/jobs/{STANNARD}/photographs")
    page.get_by_label("Pictures").set_input_files({"name": "can.jpg", "mimeType": "image/jpeg", "buffer": drawn_can()})
    page.get_by_label("What they show").fill("IFT2 with its can off")
    page.get_by_role("button", name="Attach").click()
    page.get_by_role("link", name=re.compile("IFT2 with its can off")).click()
    for kind, label, x, y in (
        ("lead", "red, to the rail", 62, 76),
        ("adjuster", "IFT2 primary", 42, 13),
        ("oddity", "green spot, broken inside", 50, 54),
    ):
        page.get_by_label("It marks").select_option(kind)
        page.get_by_label("What is there").fill(label)
        page.get_by_label("% from left").fill(str(x))
        page.get_by_label("% from top").fill(str(y))
        page.get_by_role("button", name="Add the pin").click()
        page.get_by_role("region", name="Pins").get_by_text(label).first.wait_for()


def chassis_map(page: Page) -> None:
    page.goto(f"/jobs/{STANNARD}/map")
    for label, x, y in (("IFT1-p", 207, 67), ("IFT1-s", 226, 65), ("IFT2-p", 133, 66), ("T1", 288, 40)):
        page.get_by_label("It is").select_option(label)
        page.get_by_label("mm from left").fill(str(x))
        page.get_by_label("mm from back").fill(str(y))
        page.get_by_role("button", name="Mark it").click()
        page.get_by_role("region", name="Found, and beside what").get_by_text(label, exact=True).first.wait_for()


def drawn_can() -> bytes:
    """A picture to attach: a coil on its former, drawn, for no photograph of the made-up world exists."""
    image = Image.new("RGB", (1280, 800), (72, 66, 60))
    draw = ImageDraw.Draw(image)
    draw.rectangle((430, 60, 850, 740), fill=(196, 178, 140), outline=(120, 100, 70), width=5)
    for top in (200, 420):
        draw.rounded_rectangle((380, top, 900, top + 130), 26, fill=(142, 74, 40), outline=(92, 46, 24), width=4)
        for i in range(26):
            draw.line((384, top + 6 + 4.8 * i, 896, top + 2 + 4.8 * i), fill=(170, 96, 54), width=1)
    draw.ellipse((590, 440, 690, 520), fill=(74, 130, 92))
    for x, colour in ((470, (40, 40, 44)), (790, (168, 44, 38))):
        draw.line((x, 550, x + 10, 640, x - 6, 740), fill=colour, width=9, joint="curve")
    for x in (520, 740):
        draw.ellipse((x - 46, 76, x + 46, 168), fill=(176, 176, 170), outline=(110, 110, 106), width=5)
        draw.line((x - 30, 122, x + 30, 122), fill=(90, 90, 88), width=9)
    out = io.BytesIO()
    image.save(out, "JPEG", quality=90)
    return out.getvalue()


def reckon(page: Page) -> None:
    page.goto("/reckon")


def journal(page: Page) -> None:
    """A Dunlin whose rail was found low, switched off again: what is open stays open."""
    start_page = StartPage(page, DUNLIN)
    start_page.climb_to_full()
    for _ in range(2):
        start_page.press("Five")
        start_page.press("Electrodes too")
    start_page.press("Switch it off")
    page.goto(f"/jobs/{DUNLIN}/journal")


def verify(page: Page) -> None:
    """Every band measured by a named definition, covers on, and the shape of the strip."""
    StartPage(page, PADDER_JOB).climb_to_full()
    page.goto(f"/jobs/{PADDER_JOB}/verify")
    page.get_by_label("Covers").first.select_option("on")
    with page.expect_navigation(timeout=120_000):
        page.get_by_role("button", name="Every band in turn", exact=True).click(timeout=120_000)
    page.locator("#selectivity").get_by_label("Covers").first.select_option("on")
    with page.expect_navigation(timeout=120_000):
        page.get_by_role("button", name=re.compile("Measure it.*Selectivity")).click(timeout=120_000)
    page.evaluate("() => window.scrollTo(0, 0)")


def job_record(page: Page) -> None:
    """The whole of a job on one page; what its certificate lacks."""
    verify(page)
    page.goto(f"/jobs/{PADDER_JOB}/record")


VIEWS: tuple[Callable[[Page], None], ...] = (
    shelf,
    job,
    instruments,
    ears,
    bench_set_up,
    bench_past_the_crest,
    record,
    dial,
    bench_dial,
    start,
    bands,
    parts,
    guided,
    photographs,
    chassis_map,
    reckon,
    journal,
    verify,
    job_record,
)


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
        if "Turn the other way" in bench.advice:
            way = -way
            bench.press("c")
        seen = bench.reading_id
        if "Hands off" not in bench.advice:
            bench.turn(way)
        bench.wait_for_reading_after(seen + 2)
    raise AssertionError(f"“{words}” was never said; it says “{bench.advice}”")


def main(names: list[str]) -> int:
    FOLDER.mkdir(parents=True, exist_ok=True)
    for view in VIEWS:
        name = view.__name__.replace("_", "-").removeprefix("chassis-")
        if names and name not in names:
            continue
        live = LiveServer(times=1.0)
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
