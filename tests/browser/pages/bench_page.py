"""The bench page as a person uses it: reads, turns, presses keys, types."""

import re
from collections.abc import Callable

from playwright.sync_api import Page, expect

from calm_needle.clock import SYSTEM
from tests.support.browser import WAIT_MS

LINKS = ("generator", "ac-millivoltmeter", "practice-set")


class BenchPage:
    """What can be seen and done on the bench page. Asserts nothing about the job."""

    def __init__(self, page: Page) -> None:
        self.page = page

    @classmethod
    def begin(cls, page: Page, serial: str) -> "BenchPage":
        """From the shelf to the bench: open the job on a set, begin, and acknowledge the cautions."""
        page.goto("/")
        page.get_by_role("link", name=re.compile(serial)).click()
        page.get_by_role("button", name="Begin at the bench").click()
        bench = cls(page)
        bench.wait_until_ready()
        bench.press("u")
        expect(page.get_by_role("button", name=re.compile("^Understood U"))).to_have_count(0)
        return bench

    @classmethod
    def at_first_core(cls, page: Page, serial: str = "20318") -> "BenchPage":
        """On a practice set: begin, set everything, and leave the measurement as found at one reading."""
        bench = cls.begin(page, serial)
        bench.wait_for_links()
        bench.press_and_wait_for("Enter", "Measure the IF strip as found")
        bench.wait_for_reading_after(0)
        bench.press_and_wait_for("t", "Peak the lower core of IFT2")
        bench.wait_for_reading_after(0)
        return bench

    def leave_out_until(self, wanted: str) -> None:
        """Set what is to be set and leave every step out, until the page is at the step of that title."""
        while (title := self.title) != wanted:
            if self.main_act == "Set it all" or title.startswith("Go round"):
                self.press("Enter")
            else:
                self.press("s")
                self.page.get_by_label("Why?").fill("left as it is")
                self.press("Enter")
            expect(self.page.get_by_role("heading", level=1)).not_to_have_text(title)

    def wait_for_links(self, state: str = "ready") -> None:
        """Wait until all instruments are in this state."""
        for link in LINKS:
            self.wait_for_link(link, state)

    def wait_until_ready(self) -> None:
        self.page.wait_for_selector("html[data-ready=yes]")

    @property
    def title(self) -> str:
        return self.page.get_by_role("heading", level=1).inner_text()

    @property
    def advice(self) -> str:
        return self.page.locator("[data-part=advice] p").first.inner_text()

    @property
    def coming_back_db(self) -> float:
        """How far below the crest the advice says that it is."""
        return float(self.advice.split("Coming back: ")[1].split(" dB")[0])

    @property
    def evidence(self) -> str:
        return self.page.locator("[data-part=advice] p").nth(1).inner_text()

    @property
    def main_act(self) -> str:
        return self.page.locator("footer .btn-main").inner_text().split("Enter")[0].strip()

    @property
    def at_stop(self) -> bool:
        """Whether the hand feels the end of the travel."""
        return self.page.locator("[x-ref=stop]").is_visible()

    @property
    def reading(self) -> str:
        return self.page.locator("[data-part=reading]").inner_text()

    @property
    def reading_id(self) -> int:
        return int(self.page.locator("body").get_attribute("data-reading") or 0)

    @property
    def turns(self) -> float:
        text = self.page.locator("[x-ref=turns]").inner_text()
        return float(text.replace("\u2212", "-"))

    def press(self, key: str) -> None:
        self.page.keyboard.press(key)

    def press_and_wait_for(self, key: str, title: str | re.Pattern[str]) -> None:
        """Press a key, and wait until the page is at another step."""
        self.press(key)
        try:
            expect(self.page.get_by_role("heading", level=1)).to_have_text(title)
        except AssertionError as fault:
            # What swallowed the key is not seen afterwards, so it is said here.
            focus = self.page.evaluate("() => document.activeElement?.outerHTML.slice(0, 200)")
            said = self.page.locator("[role=alert]:visible, [role=alertdialog]:visible, dialog[open]").all_inner_texts()
            raise AssertionError(f"{fault}\n“{key}” was pressed; the focus is on {focus}; the page says {said}") from None

    def wait_for_reading_after(self, reading_id: int) -> None:
        self.page.wait_for_function("id => Number(document.body.dataset.reading) > id", arg=reading_id)

    def turn(self, way: int, *, fine: bool = False) -> None:
        """Turn the core by one press of an arrow key, and wait for the reading that follows."""
        before = self.reading_id
        self.press(("Shift+" if fine else "") + ("ArrowRight" if way > 0 else "ArrowLeft"))
        self.wait_for_reading_after(before + 1)

    def step(self, *, fine: bool = False) -> float:
        """How far one press of an arrow key turns the adjuster in hand (turns)."""
        return float(self.page.locator("[x-ref=core]").get_attribute("data-fine" if fine else "data-coarse") or 0.05)

    def wait_for_turns(self, turns: float) -> None:
        """Wait until the core is said to have been turned by so much."""
        expect(self.page.locator("[x-ref=turns]")).to_have_text(f"{turns:+.2f}")

    def link_state(self, kind: str) -> str:
        return self.page.locator(f"[data-link={kind}]").get_attribute("data-state") or ""

    def wait_for_link(self, kind: str, state: str) -> None:
        self.page.wait_for_selector(f"[data-link={kind}][data-state={state}]", state="attached")

    def wait_until(self, so: Callable[[], bool]) -> None:
        """Wait until what is shown is so."""
        ends_s = SYSTEM.monotonic() + WAIT_MS / 1e3  # it only stops a hang
        while not so():
            assert SYSTEM.monotonic() < ends_s, f"still: {self.title}; {self.advice}"
            self.page.wait_for_function("was => document.body.dataset.reading !== was || document.querySelector('h1')", arg="")

    def hide_turns(self, hide: bool) -> None:
        """Hide the turns from the program, or let it see them."""
        hiding, showing = (
            self.page.get_by_role("button", name=n) for n in ("Hide the turns: practise blind", "Let the program see the turns")
        )
        (hiding if hide else showing).click()
        expect(showing if hide else hiding).to_be_visible()

    def trace(self) -> str:
        """The trace that the oscilloscope shows, as a path, once it is drawn."""
        drawn = self.page.locator("[data-trace] path").last
        expect(drawn).to_have_attribute("d", re.compile("^M.+ L"))
        return drawn.get_attribute("d") or ""

    @property
    def asks(self) -> bool:
        """Whether it is asked if what was pressed is meant, though it is not sure."""
        return self.page.get_by_role("alertdialog").is_visible()

    def insist(self) -> None:
        """Say that what was pressed is meant, though it is not sure."""
        self.page.get_by_role("button", name="Yes, all the same").click()

    def type_reading(self, text: str) -> None:
        """Type what is asked for, what the meter shows or else, and keep it."""
        before = self.reading_id
        self.page.locator("#reading").fill(text)
        self.page.keyboard.press("Enter")
        self.wait_for_reading_after(before)
