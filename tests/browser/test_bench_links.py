"""An instrument is lost in the middle of a step, and found again."""

import math
import re
from typing import ClassVar

from playwright.sync_api import Locator, Page, Route, expect

from tests.browser.pages.bench_page import BenchPage
from tests.browser.test_every_page import violations
from tests.support.browser import BrowserTest, new_page


class TurningByHand(BrowserTest):
    options: ClassVar[dict[str, object]] = {}

    def test_the_core_is_wheeled_and_dragged_round(self) -> None:
        bench, page = BenchPage.at_first_core(self.page), self.page
        box = page.get_by_role("slider").bounding_box()
        assert box is not None
        x, y, r = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, box["width"] / 3
        page.mouse.move(x, y)
        page.mouse.wheel(0, -100)
        bench.wait_for_turns(0.05)
        page.mouse.move(x, y - r)
        page.mouse.down()
        for angle in range(0, 91, 10):
            page.mouse.move(x + r * math.sin(math.radians(angle)), y - r * math.cos(math.radians(angle)))
        page.mouse.up()
        bench.wait_for_turns(0.30)


class ByMouse(BrowserTest):
    def test_a_button_that_was_clicked_says_what_it_does_next(self) -> None:
        bench, page = BenchPage.begin(self.page, "20318"), self.page
        bench.wait_for_links()
        main = page.locator("footer .btn-main")
        expect(main).to_contain_text("Set it all")
        main.click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Measure the IF strip as found")
        expect(main).not_to_contain_text("Set it all")
        expect(main).to_be_focused()


class ASlowAnswer(BrowserTest):
    def test_a_note_begun_while_an_answer_is_on_its_way_stays_open_with_its_words(self) -> None:
        page = self.page
        on_its_way: list[Route] = []
        # Before the page is opened: what is under way while a browser begins to hold requests back may slip through.
        page.route("**/mark", lambda route: on_its_way.append(route))
        bench = BenchPage.at_first_core(page)
        with page.expect_request("**/mark"):
            bench.press("Space")
        bench.press("n")
        page.get_by_role("textbox", name="Note").fill("Wax in the lower core.")
        with page.expect_response(page.url):  # the page looks anew once it has its answer
            on_its_way[0].continue_()
        expect(page.get_by_role("dialog", name="Note")).to_be_visible()
        expect(page.get_by_role("textbox", name="Note")).to_have_value("Wax in the lower core.")

    def test_what_was_turned_before_an_act_reaches_the_set_before_it(self) -> None:
        page = self.page
        on_its_way: list[Route] = []
        page.route("**/turn", lambda route: on_its_way.append(route))
        bench = BenchPage.at_first_core(page)
        sent: list[str] = []
        page.on("request", lambda r: sent.append(r.url.rsplit("/", 1)[1]) if r.method == "POST" else None)
        with page.expect_request("**/turn"):
            bench.press("ArrowRight")
        bench.press("Space")
        page.evaluate("() => new Promise(requestAnimationFrame)")
        self.assertEqual(sent, ["turn"])
        with page.expect_request("**/mark"):
            on_its_way[0].continue_()

    def test_what_is_asked_takes_the_focus_so_that_the_keyboard_answers_it(self) -> None:
        bench, page = BenchPage.at_first_core(self.page), self.page
        title = bench.title
        bench.press("Enter")
        yes = page.get_by_role("button", name="Yes, all the same")
        expect(yes).to_be_focused()
        heading = page.get_by_role("heading", level=1)
        expect(heading).to_have_text(title)
        page.wait_for_function("() => performance.now() - Alpine.$data(document.body).askedAt > 500")
        bench.press("Enter")
        expect(heading).not_to_have_text(title)

    def expected_errors(self) -> tuple[str, ...]:
        return ("409",)

    def test_a_key_pressed_before_a_closed_dialog_is_gone_from_the_glass_is_not_lost(self) -> None:
        page = self.page
        BenchPage.at_first_core(page)
        for name, key in (("Note", "s"), ("Leave this step out", "?"), ("Keys", "n")):
            # In one breath of the page's script, so before the browser draws and takes the focus out of the closed dialog.
            still_in_it = page.evaluate(
                """([name, key]) => {
                    const dialog = [...document.querySelectorAll('dialog')].find((d) => d.querySelector('h2').textContent === name);
                    dialog.showModal();
                    dialog.close();
                    const focus = document.activeElement;
                    focus.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
                    return dialog.contains(focus);
                }""",
                [name, key],
            )
            self.assertTrue(still_in_it, "the browser has changed: the test no longer makes what it is about")
            dialog = page.get_by_role("dialog")
            expect(dialog).to_be_visible()
            page.keyboard.press("Escape")
            expect(dialog).to_have_count(0)


class UnpluggedMidStep(BrowserTest):
    inside = False

    def test_it_is_said_nothing_is_lost_and_the_step_goes_on(self) -> None:
        bench, page = BenchPage.at_first_core(self.page), self.page
        for _ in range(4):
            bench.turn(1)
        bench.wait_for_turns(0.2)
        kept, turned, run_id = self.kept(), bench.turns, int(page.url.rsplit("/", 1)[1])

        other = page.context.new_page()
        other.goto("/instruments")
        other.get_by_role("button", name="Unplug them").click()
        expect(other.get_by_role("button", name="Plug them in again")).to_be_visible()
        bench.wait_for_links("lost")
        expect(page.locator("[data-part=advice] p").first).to_have_text(re.compile("not there"))
        expect(page.locator("[data-part=advice] p").nth(1)).to_have_text(
            re.compile("Check its power and its cable; it is taken up again by itself")
        )
        self.assertEqual(bench.title, "Peak the lower core of IFT2")
        self.assertGreaterEqual(self.kept(), kept)
        bench.press("ArrowRight")  # nothing answers: said, not swallowed
        expect(page.get_by_role("alert").filter(has_text="practice set")).to_be_visible()
        bench.press("Escape")

        other.get_by_role("button", name="Plug them in again").click()
        bench.wait_for_links()
        bench.wait_for_reading_after(bench.reading_id)
        bench.wait_for_turns(turned)
        bench.turn(1)
        expect(page.locator("[data-part=advice] p").first).not_to_have_text(re.compile("not there"))
        struck = self.struck(run_id)
        self.assertTrue(all(reason == "the generator was not as set" for reason in struck), struck)

    def expected_errors(self) -> tuple[str, ...]:
        return ("status of 503",)

    def kept(self) -> int:
        with self.live.workshop.store() as conn:
            return int(conn.execute("SELECT count(*) FROM reading").fetchone()[0])

    def struck(self, run_id: int) -> list[str]:
        with self.live.workshop.store() as conn:
            rows = conn.execute("SELECT reason FROM strike JOIN reading r ON r.id = reading_id WHERE r.run_id = ?", (run_id,))
            return [row[0] for row in rows]


class AnOldWindow(BrowserTest):
    def test_it_takes_the_bench_from_nobody_and_says_who_has_it_until_it_is_taken_by_a_key(self) -> None:
        first = self.page
        BenchPage.begin(first, "20318").wait_for_links()
        second = new_page(self.live.url, errors=self.errors, **self.options)
        self.addCleanup(second.context.close)
        BenchPage.begin(second, "R40-0611")

        def says(page: Page) -> Locator:
            return page.locator("[data-part=advice] p").first

        in_use = re.compile("The bench is in use by run .*Halvern 6B no. 20318")
        expect(says(second)).to_contain_text(in_use)
        self.assertEqual(violations(second), [], "a run without the bench")
        second.reload()
        expect(says(second)).to_contain_text(in_use)
        expect(says(first)).to_contain_text("Set what the card says")
        second.wait_for_selector("html[data-ready=yes]")
        second.keyboard.press("Enter")
        expect(says(second)).to_contain_text("Set what the card says")
        expect(says(first)).to_contain_text(re.compile("The bench is in use by run .*Corvane"))
