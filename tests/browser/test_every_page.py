"""Every page: no violation that axe knows of, light and dark; nothing in the console; the keyboard reaches all of it."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.pages.bench_page import BenchPage
from tests.support.browser import BrowserTest

AXE = (Path(__file__).parents[1] / "vendor/axe.min.js").read_text(encoding="utf-8")
NEW = tuple(
    f"/jobs/5/{s}"
    for s in (
        "start",
        "parts",
        "bands",
        "repairs",
        "guided",
        "photographs",
        "recordings",
        "map",
        "journal",
        "notes",
        "intake",
        "dossier",
        "dossier/parts",
    )
)
AFTER = (
    *("/jobs/1/verify", "/jobs/3/verify", "/jobs/1/record", "/jobs/6/record", "/jobs/6/hand-back", "/store", "/queue"),
    *("/models/halvern-6b/history", "/sets/1/history", "/certificates/check"),
)
SHOW = """async (path) => {
    const answer = await fetch(path), fresh = new DOMParser().parseFromString(await answer.text(), 'text/html');
    document.title = fresh.title;
    document.documentElement.lang = fresh.documentElement.lang;
    document.body.replaceWith(document.adoptNode(fresh.body));
    await document.fonts.ready;
    return answer.status;
}"""
COLOURS = ["color-contrast", "link-in-text-block"]
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]


def violations(page: Page, *, colours_only: bool = False) -> list[str]:
    """What axe finds; of a page that was looked at in the other theme, the colours alone."""
    if not page.evaluate("() => Boolean(window.axe)"):
        page.evaluate(AXE + "\n;undefined")
    only = {"type": "rule", "values": COLOURS} if colours_only else {"type": "tag", "values": RULES}
    found = page.evaluate("only => axe.run(document, {runOnly: only, resultTypes: ['violations'], preload: false})", only)
    return [f"{v['id']}: {[n['target'] for n in v['nodes']][:3]}" for v in found["violations"]]


class Axe(BrowserTest):
    def check(self, page: Page, where: str) -> None:
        page.emulate_media(color_scheme="light")
        self.assertEqual(violations(page), [], f"{where}, light")
        page.emulate_media(color_scheme="dark")
        self.assertEqual(violations(page, colours_only=True), [], f"{where}, dark")

    def test_the_pages_that_stand_still(self) -> None:
        for path in (
            "/",
            "/jobs/1",
            "/jobs/2",
            "/models/halvern-6b",
            "/instruments",
            "/runs/1/record",
            "/reckon",
            "/jobs/4",
            "/jobs/4/start",
            "/jobs/5/notes",
            "/jobs/5/repairs",
            "/jobs/6/guided",
            "/jobs/6/photographs",
            "/jobs/6/map",
            "/jobs/6/intake",
            "/jobs/9/dial",
            "/jobs/3/bands",
            "/jobs/3/dossier",
            "/jobs/3/dossier/adjusters",
            "/jobs/3/dossier/compare",
            *AFTER,
        ):
            self.show(path)
            self.check(self.page, path)

    def show(self, path: str) -> None:
        """Put what the server sends of a page in the place of the one before. It is whole without its scripts, and axe, which takes longer
        to be read in than to look, stays where it is."""
        if self.page.url == "about:blank":
            self.page.goto(path)
        else:
            self.assertEqual(self.page.evaluate(SHOW, path), 200, path)

    def test_the_trace_of_an_oscilloscope_on_the_bench(self) -> None:
        bench = BenchPage.begin(self.page, "R40-0611")
        bench.wait_for_links()
        bench.leave_out_until("Look at the envelope")
        expect(self.page.locator("[data-trace] path").last).to_have_attribute("d", re.compile("^M.+ L"))
        expect(self.page.get_by_text("peak to peak")).to_be_visible()
        self.check(self.page, "a trace")

    def test_the_shelf_with_its_forms_open_and_faults_in_them(self) -> None:
        page = self.page
        page.goto("/")
        page.get_by_text("Put a set on the shelf").click()
        page.get_by_role("button", name="Put it on the shelf").click()
        expect(page.get_by_text("Write the serial number")).to_be_visible()
        self.check(page, "shelf with faults")
        page.get_by_text("Bring in a dossier", exact=True).click()
        page.get_by_label("Dossier file").set_input_files({"name": "x.json", "mimeType": "application/json", "buffer": b"{}"})
        page.get_by_role("button", name="Take it in").click()
        expect(page.get_by_role("alert")).to_contain_text("nothing was changed")
        self.check(page, "shelf with a refused dossier")

    def test_failures(self) -> None:
        self.page.goto("/nowhere")
        self.check(self.page, "not found")

    def test_the_bench_from_set_up_to_its_overlays(self) -> None:
        page = self.page
        page.goto("/jobs/2")
        page.get_by_role("button", name="Begin at the bench").click()
        BenchPage(page).wait_until_ready()
        self.check(page, "set-up with cautions")
        bench = BenchPage(page)
        bench.press("u")
        bench.wait_for_links()
        bench.press_and_wait_for("Enter", "Measure the IF strip as found")
        bench.wait_for_reading_after(0)
        bench.press_and_wait_for("t", "Peak the lower core of IFT2")
        self.check(page, "peaking")
        for key in ("?", "n", "s"):
            bench.press(key)
            expect(page.get_by_role("dialog")).to_be_visible()
            self.check(page, f"overlay {key}")
            bench.press("Escape")
            expect(page.get_by_role("dialog")).to_have_count(0)

    def test_the_typed_bench(self) -> None:
        page = self.page
        page.goto("/jobs/3")
        page.get_by_role("button", name="Begin at the bench").click()
        bench = BenchPage(page)
        bench.wait_until_ready()
        bench.press("u")
        bench.press_and_wait_for("Enter", "Measure the IF strip as found")
        bench.type_reading("88m")
        page.get_by_label("What the meter shows").fill("4l2")
        page.keyboard.press("Enter")
        expect(page.get_by_text("is not in V or dB")).to_be_visible()
        self.check(page, "typed, with a fault")

    def expected_errors(self) -> tuple[str, ...]:
        return ("status of 422", "status of 404")


class KeyboardAlone(BrowserTest):
    """No mouse from the shelf to the record."""

    def test_a_safe_start_until_smoke(self) -> None:
        page = self.page
        page.goto("/jobs/4")
        page.get_by_role("link", name="Start it safely").first.focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("radiogroup").first).to_be_visible()
        for look in page.get_by_role("radiogroup").all():
            look.get_by_label("yes").focus()
            page.keyboard.press("Space")
        page.get_by_role("button", name="Take the first rung").focus()
        page.keyboard.press("Enter")
        page.get_by_label("Current in").focus()
        page.keyboard.type("55m")
        page.keyboard.press("Tab")
        page.keyboard.type("12")
        page.keyboard.press("Enter")
        expect(page.get_by_role("status")).to_contain_text("something holds it down")
        self.assertEqual(violations(page), [])
        page.wait_for_load_state()
        page.keyboard.press("Escape")
        expect(page.get_by_role("status")).to_contain_text("Power stays off until the cause is found")
        page.get_by_label("What was it").focus()
        page.keyboard.type("Smoothing capacitor leaking; replaced.")
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name="Take the first rung")).to_be_visible()
        expect(page.get_by_text("cause: Smoothing capacitor leaking; replaced.")).to_be_visible()

    def test_parts_are_swept_without_leaving_the_keys(self) -> None:
        page = self.page
        page.goto("/jobs/4/parts")
        page.get_by_role("button", name="It is off").focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("form", name="Power")).to_contain_text("off since")
        page.locator("#in-R1").focus()
        for value in ("24.1k", "47k", "231"):
            kept = page.evaluate("() => Number(document.documentElement.dataset.kept || 0)")
            page.keyboard.type(value)
            page.keyboard.press("Enter")
            page.wait_for_function("n => Number(document.documentElement.dataset.kept || 0) > n", arg=kept)
        expect(page.locator("#in-C5")).to_be_focused()
        expect(page.get_by_role("list", name="Region by region")).to_contain_text("Mixer 3 of 5")
        page.keyboard.type("98 furlongs")
        page.keyboard.press("Enter")
        expect(page.locator("#part-C5 .field-fault")).to_contain_text("is not in F")
        expect(page.locator("#in-C5")).to_be_focused()
        self.assertEqual(violations(page), [])

    def test_a_guided_work_from_its_first_to_its_last_gate(self) -> None:
        page = self.page
        page.goto("/jobs/5/guided")
        page.get_by_role("button", name=re.compile("Begin.*It will not peak")).focus()
        page.keyboard.press("Enter")
        for first, keys in (
            ("Seen inside the winding", ("y", "Tab", "52", "Enter")),
            ("Rail off the book’s by", ("-22", "Enter")),
            ("Leakage, cold", ("50M", "Tab", "40M", "Tab", "12", "Enter")),
            ("Reading each time", ("0.2; 0.2; 0.21; 0.2; 0.2", "Enter")),
        ):
            page.get_by_label(first).focus()
            for key in keys:
                if key == "Tab":
                    page.keyboard.press(key)
                elif key == "Enter":
                    with page.expect_navigation():
                        page.keyboard.press(key)
                else:
                    page.keyboard.type(key)
        expect(page.get_by_text("No leak after 12 min warm.")).to_be_visible()
        expect(page.get_by_text("It repeats.")).to_be_visible()
        expect(page.get_by_role("status")).to_contain_text("−22")  # one gate failed; the others were gone through all the same
        expect(page.get_by_role("button", name="Done")).to_have_count(0)
        self.assertEqual(violations(page), [])
        page.goto("/jobs/5")
        expect(page.get_by_role("region", name="Where it was left")).to_contain_text("It will not peak: The rail is −22")

    def test_every_act_of_the_bench_has_its_key(self) -> None:
        page = self.page
        page.goto("/jobs/3")
        page.get_by_role("button", name="Begin at the bench").focus()
        page.keyboard.press("Enter")
        bench = BenchPage(page)
        bench.wait_until_ready()
        bench.press("u")
        expect(page.get_by_role("button", name=re.compile("^Understood U"))).to_have_count(0)
        bench.press("f")
        expect(page.get_by_role("img", name="Chassis seen from below")).to_be_visible()
        bench.press_and_wait_for("Enter", "Measure the IF strip as found")
        bench.press("9")  # starts a reading
        page.keyboard.type("1m")
        page.keyboard.press("Enter")
        expect(page.locator("[data-part=reading]")).to_have_text("91.0")
        bench.press("Space")
        expect(page.get_by_role("list", name="Kept readings, newest first").get_by_role("listitem")).to_have_count(2)
        page.keyboard.type("92m\n93m\n94m\n")  # faster than they are answered: none is lost, and their order is kept
        readings = page.get_by_role("list", name="Kept readings, newest first").get_by_role("listitem")
        expect(readings).to_have_text([re.compile(number) for number in ("94.0 mV", "93.0 mV", "92.0 mV", "91.0 mV", "91.0 mV")])
        bench.press("n")
        page.keyboard.type("Hums a little.")
        page.keyboard.press("Tab")
        page.keyboard.press("Enter")
        expect(page.get_by_role("dialog")).to_have_count(0)
        bench.press("n")
        expect(page.get_by_text("Hums a little.")).to_be_visible()
        bench.press("Escape")
        expect(page.get_by_role("dialog")).to_have_count(0)
        bench.press_and_wait_for("Enter", "Peak the lower core of IFT2")
        bench.press_and_wait_for("b", "Measure the IF strip as found")
        bench.type_reading("91m")
        bench.press_and_wait_for("Enter", "Peak the lower core of IFT2")
        bench.type_reading("91m")
        bench.press("Enter")  # no crest seen yet: it asks, and the answer is in reach
        expect(page.get_by_role("alertdialog")).to_be_visible()
        bench.press("Escape")
        expect(page.get_by_role("alertdialog")).to_have_count(0)
        bench.press("x")  # nobody but the hand knows which core it turned: it asks
        expect(page.get_by_role("alertdialog")).to_contain_text("Is the tool in the right core?")
        expect(page.get_by_role("button", name="Yes, all the same")).to_be_focused()
        page.wait_for_function("() => performance.now() - Alpine.$data(document.body).askedAt > 500")
        bench.press_and_wait_for("Enter", "Peak the upper core of IFT2")
        bench.press("s")
        page.keyboard.press("Enter")
        expect(page.get_by_role("dialog").get_by_text("Say in a few words")).to_be_visible()
        page.keyboard.type("cracked")
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", level=1)).to_have_text("Peak the lower core of IFT1")
        bench.press("l")
        expect(page.get_by_role("button", name=re.compile("Listening"))).to_have_attribute("aria-pressed", "true")
        bench.press("l")

    def expected_errors(self) -> tuple[str, ...]:
        return ("status of 409", "status of 422", "AudioContext")


class OnOtherPaperAndGlass(BrowserTest):
    def test_the_bench_needs_no_scrolling_at_1280_by_800(self) -> None:
        page = self.page
        page.goto("/jobs/2")
        page.get_by_role("button", name="Begin at the bench").click()
        BenchPage(page).wait_until_ready()
        size = page.evaluate("() => [document.documentElement.scrollHeight, document.documentElement.scrollWidth]")
        self.assertLessEqual(size[0], 800)
        self.assertLessEqual(size[1], 1280)

    def test_on_a_phone_nothing_runs_out_of_the_page(self) -> None:
        page = self.page
        page.set_viewport_size({"width": 390, "height": 844})
        for path in ("/", "/jobs/2", "/models/halvern-6b", "/instruments", "/runs/1/record", "/reckon", "/reckon/tracking", *NEW, *AFTER):
            page.goto(path)
            wide = page.evaluate("() => document.documentElement.scrollWidth")
            self.assertLessEqual(wide, 390, path)

    def test_the_record_prints_on_one_page(self) -> None:
        self.page.goto("/runs/1/record")
        for paper in ("A4", "Letter"):
            printed = self.page.pdf(format=paper, print_background=True)
            self.assertEqual(len(re.findall(rb"/Type\s*/Page\b", printed)), 1, paper)
