"""The whole job as a person does it, on the real page, with the keyboard."""

from playwright.sync_api import expect

from tests.browser.pages.bench_page import BenchPage
from tests.support.browser import BrowserTest

MOST_PRESSES = 900
BLIND_STEPS = 2
# What the advice calls an amount of turning, the longer words first.
SAID = {
    "three quarters of a turn": 0.75,
    "half a turn": 0.5,
    "a third of a turn": 0.33,
    "a quarter of a turn": 0.25,
    "a fifth of a turn": 0.2,
    "a sixth of a turn": 0.16,
    "an eighth of a turn": 0.125,
    "a tenth of a turn": 0.1,
    "a twentieth of a turn": 0.05,
    "a hair": 0.02,
    "a turn": 1.0,
}


class Apprentice:
    """Follows the advice to the letter, and knows nothing else. Where nobody counts its turns, it says when it turns back."""

    def __init__(self, bench: BenchPage) -> None:
        self.bench = bench
        self.heard: set[str] = set()

    def peak(self) -> None:
        """Turn the core in hand until the page says to take it."""
        bench, way = self.bench, 1
        for _ in range(MOST_PRESSES):
            advice = bench.advice
            self.heard.add(advice.split(".")[0].split(":")[0])
            if "Take it" in advice:
                return
            if bench.main_act == "Set the level":
                bench.press("Enter")
                bench.page.wait_for_function("() => !document.querySelector('footer .btn-main').textContent.includes('Set the level')")
            elif "Hold still" in advice or "Hands off" in advice:
                bench.wait_for_reading_after(bench.reading_id + 3)
            elif "slips" in advice:
                bench.press("w")
                expect(bench.page.locator("[data-part=advice] p").first).not_to_contain_text("slips")
            elif "clockwise" in advice:
                way = self._turn_as_told(advice)
            elif "come back to it" in advice or "Come back" in advice or "Turn the other way" in advice:
                way = -way
                bench.press("c")
                expect(bench.page.locator("[data-part=advice] p").first).not_to_have_text(advice)
            elif "Coming back" in advice or "go on through" in advice:
                self._turn(way, fine=True)
            else:
                self._turn(way)
        raise AssertionError(f"no peak after {MOST_PRESSES} presses; the page says: {bench.advice}")

    def _turn_as_told(self, advice: str) -> int:
        """Turn by about as much as the advice says, the way it says; return that way."""
        amount = next((turns for words, turns in SAID.items() if words in advice), 0.25)
        way = -1 if "anticlockwise" in advice else 1
        fine = amount < 0.12
        for _ in range(max(1, round(0.8 * amount / (0.01 if fine else 0.05)))):
            self.bench.turn(way, fine=fine)
        self.bench.wait_for_reading_after(self.bench.reading_id + 6)
        return way

    def _turn(self, way: int, *, fine: bool = False) -> None:
        """One touch of the core, and a look at the needle."""
        seen = self.bench.reading_id
        self.bench.turn(way, fine=fine)
        self.bench.wait_for_reading_after(seen + 2)


class TheWholeJobAtTheBench(BrowserTest):
    def test_the_if_strip_is_aligned_by_following_the_advice(self) -> None:
        page = self.page
        bench = BenchPage.begin(page, "20318")
        bench.wait_for_links()
        bench.press_and_wait_for("Enter", "Measure the IF strip as found")
        self.measure(bench)
        page.get_by_role("button", name="Hide the turns: practise blind").click()
        expect(page.get_by_role("button", name="Let the program see the turns")).to_be_visible()
        apprentice = Apprentice(bench)
        rounds = blind = 0
        while bench.title != "Null the IF trap":
            if bench.title == "Set up first":
                self.assertIn("Null the IF trap", page.locator("main p").first.inner_text().replace("null", "Null"))
                bench.press_and_wait_for("Enter", "Null the IF trap")
            elif bench.title == "Go round again, or stop?":
                rounds += 1
                bench.press("Enter")
                expect(page.get_by_role("heading", level=1)).not_to_have_text("Go round again, or stop?")
            else:
                self.peak_one(bench, apprentice)
                blind += 1
                if blind == BLIND_STEPS:  # proving each by the key takes its time; the others are counted
                    page.get_by_role("button", name="Let the program see the turns").click()
                    expect(page.get_by_role("button", name="Hide the turns: practise blind")).to_be_visible()
        self.assertGreaterEqual(rounds, 1)
        self.peak_one(bench, apprentice)
        self.assertEqual(bench.title, "Set up first")  # the lead goes back to the grid
        bench.press_and_wait_for("Enter", "Measure the IF strip again")
        self.measure(bench)
        expect(page.get_by_role("heading", level=1)).to_have_text("All done here")
        truth = self.live.workshop.live.truth()
        assert truth is not None
        self.assertLess(abs(truth.peak_hz - 468_000.0), 200.0)
        self.assertLess(truth.loss_db - truth.best_loss_db, 0.3)
        self.assertLessEqual(
            {"Hands off for three seconds", "Rising", "Highest so far is passed", "The lower core of IFT1 slips"}, apprentice.heard
        )
        bench.press("Enter")
        page.wait_for_url("**/record")
        expect(page.get_by_role("heading", name="In figures")).to_be_visible()
        expect(page.get_by_text("dB at equal generator level")).to_be_visible()
        expect(page.get_by_text("Wax was cleared from the lower core of IFT1.")).to_be_visible()

    def measure(self, bench: BenchPage) -> None:
        """Let the pass-band be measured, the level set first where the page asks for it, and take it."""
        bench.wait_for_reading_after(0)
        for _ in range(4):
            seen = bench.reading_id
            bench.wait_for_reading_after(seen + 6)
            if bench.main_act != "Set the level":
                break
            bench.press("Enter")
            expect(bench.page.locator("footer .btn-main")).not_to_contain_text("Set the level")
        self.assertEqual(bench.main_act, "Measure the pass-band")
        bench.press("Enter")
        expect(bench.page.locator("[data-part=advice] p").first).to_contain_text("Measured.", timeout=60_000)
        expect(bench.page.locator("footer .btn-main")).to_contain_text("Take it and go on")
        title = bench.title
        bench.press("Enter")
        expect(bench.page.get_by_role("heading", level=1)).not_to_have_text(title)

    def peak_one(self, bench: BenchPage, apprentice: Apprentice) -> None:
        title = bench.title
        bench.wait_for_reading_after(bench.reading_id + 3)
        apprentice.peak()
        bench.press("Enter")
        expect(bench.page.get_by_role("heading", level=1)).not_to_have_text(title)
